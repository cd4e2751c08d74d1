// Settings that go from one picture to another.
#pragma once

#include "recipe/recipe.h"

#include <set>
#include <string>

namespace yolk {

/// What was copied: the settings of a picture and its automatic start, from which they are reckoned.
struct CopiedSettings {
    Recipe settings, start;
    bool operator==(const CopiedSettings &) const = default;
};

/// The groups that were changed there.
std::set<std::string> changedGroups(const CopiedSettings &copied);
/// Those of them that say how a picture looks (tone, colour, finish), not what lies where in it.
std::set<std::string> changedLooks(const CopiedSettings &copied);

/// `to` with the groups (keys of settingGroups()) of `copied`. Amounts that suit themselves to a picture go by their
/// distance from its automatic start, all else as it is; so does what is said of the groups. What names single frames, and
/// areas drawn on them, stays.
Recipe withCopied(const Recipe &to, const Recipe &start, const CopiedSettings &copied,
                  const std::set<std::string> &groups);

/// JSON text and back. Throws ArgumentError: no such text, a newer version, the path of a bad value.
std::string copiedText(const CopiedSettings &copied);
CopiedSettings parseCopied(const std::string &text);

} // namespace yolk
