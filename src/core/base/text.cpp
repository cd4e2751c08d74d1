#include "base/text.h"

#include <algorithm>
#include <array>
#include <charconv>
#include <cstdarg>
#include <cstdio>

namespace yolk {

std::string textOf(const char *format, ...)
{
    va_list args, again;
    va_start(args, format);
    va_copy(again, args);
    std::string text(size_t(std::vsnprintf(nullptr, 0, format, args)), '\0');
    std::vsnprintf(text.data(), text.size() + 1, format, again);
    va_end(again);
    va_end(args);
    return text;
}

std::string shortestText(double value)
{
    std::array<char, 32> buffer;
    const auto end = std::to_chars(buffer.data(), buffer.data() + buffer.size(), value).ptr;
    return std::string(buffer.data(), end);
}

std::string signedText(double value, int decimals)
{
    std::string out = textOf("%+.*f", decimals, value);
    if (out.front() == '-')
        out.replace(0, 1, "\u2212");
    return out;
}

std::optional<double> numberOfText(std::string_view text)
{
    double value = 0.0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    return error == std::errc() && end == text.data() + text.size() ? std::optional(value) : std::nullopt;
}

std::vector<std::string_view> partsOf(std::string_view text, char separator)
{
    std::vector<std::string_view> out;
    while (!text.empty()) {
        const size_t at = std::min(text.find(separator), text.size());
        out.push_back(text.substr(0, at));
        text.remove_prefix(std::min(at + 1, text.size()));
    }
    return out;
}

} // namespace yolk
