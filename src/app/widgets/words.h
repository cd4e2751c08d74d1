// Words of the core's tables, in the language of the window.
#pragma once

#include <QCoreApplication>
#include <QString>

#include <string>
#include <string_view>

namespace yolk::app {

inline QString words(std::string_view text)
{
    return QCoreApplication::translate("Fields", std::string(text).c_str());
}

} // namespace yolk::app
