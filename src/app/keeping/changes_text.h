// What settings changed, in words.
#pragma once

#include "recipe/sections.h"

#include <QStringList>

namespace yolk::app {

/// "Contrast +20", one for each setting of a group that is other than at the start.
QStringList changesIn(const SettingGroup &group, const Recipe &recipe, const Recipe &start);

/// The same of what stands in no group: frames that were left out, their exposures, what was drawn on them.
QStringList changesOfFrames(const Recipe &recipe);

} // namespace yolk::app
