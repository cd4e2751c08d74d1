// Collects numbers by name, prints them as a table and writes them as one flat JSON object.
#pragma once

#include <algorithm>
#include <chrono>
#include <functional>
#include <string>
#include <utility>
#include <vector>

namespace yolk::bench {

class Report {
public:
    /// `note` says what the number is, for the table.
    void add(const std::string &name, double value, const std::string &note);
    bool writeJson(const std::string &path) const;

private:
    std::vector<std::pair<std::string, double>> numbers_;
};

/// Median of the seconds that `runs` calls take.
double medianSeconds(int runs, const std::function<void()> &call);
/// The value below which `share` of the values lie.
double percentile(std::vector<double> values, double share);

} // namespace yolk::bench
