// What an area does, in words.
#pragma once

#include "areas/area.h"

#include <QString>

namespace yolk::app {

/// "Exposure -0.70 EV, Contrast +12"; "changes nothing yet" of a new one.
QString amountsText(const Area &area);

} // namespace yolk::app
