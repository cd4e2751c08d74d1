// Errors of files in words for people.
#pragma once

#include "base/errors.h"

#include <QString>

namespace yolk::app {

/// "<path>: reason" as "name: reason": the folder is known, the line is short.
QString inputErrorText(const InputError &error);

} // namespace yolk::app
