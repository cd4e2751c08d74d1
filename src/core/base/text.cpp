#include "base/text.h"

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

} // namespace yolk
