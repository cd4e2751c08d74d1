// Small texts for messages and reports.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace yolk {

/// printf into a string; g++ 12 has no std::format.
[[gnu::format(printf, 1, 2)]] std::string textOf(const char *format, ...);

/// The shortest decimal text that reads back as the same number: "0.1", "-3", "1e-07".
std::string shortestText(double value);

/// With its sign, for people: "+1.5", "−2" with a real minus.
std::string signedText(double value, int decimals);

/// A number that is the whole text; empty when it is something else.
std::optional<double> numberOfText(std::string_view text);

/// The parts of a text between separators: "1,2" at ',' gives "1" and "2"; an empty text none.
std::vector<std::string_view> partsOf(std::string_view text, char separator);

} // namespace yolk
