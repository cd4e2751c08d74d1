// Small texts for messages and reports.
#pragma once

#include <string>

namespace yolk {

/// printf into a string; g++ 12 has no std::format.
[[gnu::format(printf, 1, 2)]] std::string textOf(const char *format, ...);

/// The shortest decimal text that reads back as the same number: "0.1", "-3", "1e-07".
std::string shortestText(double value);

} // namespace yolk
