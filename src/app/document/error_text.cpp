#include "document/error_text.h"

#include <QFileInfo>

namespace yolk::app {

QString inputErrorText(const InputError &error)
{
    const QString text = QString::fromStdString(error.what()), path = QString::fromStdString(error.file());
    return text.startsWith(path) ? QFileInfo(path).fileName() + text.mid(path.size()) : text;
}

} // namespace yolk::app
