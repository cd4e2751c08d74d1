#include "report.h"

#include <cmath>
#include <cstdio>

namespace yolk::bench {

void Report::add(const std::string &name, double value, const std::string &note)
{
    numbers_.emplace_back(name, value);
    std::printf("%-48s %10.4g   %s\n", name.c_str(), value, note.c_str());
    std::fflush(stdout);
}

bool Report::writeJson(const std::string &path) const
{
    FILE *file = std::fopen(path.c_str(), "w");
    if (!file)
        return false;
    std::fputs("{\n", file);
    for (size_t i = 0; i < numbers_.size(); ++i)
        std::fprintf(file, "  \"%s\": %.9g%s\n", numbers_[i].first.c_str(), numbers_[i].second,
                     i + 1 < numbers_.size() ? "," : "");
    std::fputs("}\n", file);
    return std::fclose(file) == 0;
}

double medianSeconds(int runs, const std::function<void()> &call)
{
    std::vector<double> seconds;
    for (int i = 0; i < runs; ++i) {
        const auto start = std::chrono::steady_clock::now();
        call();
        seconds.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count());
    }
    return percentile(seconds, 0.5);
}

double percentile(std::vector<double> values, double share)
{
    std::ranges::sort(values);
    return values.empty() ? NAN : values[size_t(std::lround(share * double(values.size() - 1)))];
}

} // namespace yolk::bench
