// What the view of sets shows of one set, and how it is made: the set is opened, its work found, a small picture rendered.
#pragma once

#include "base/exec_context.h"
#include "document/known_set.h"
#include "recipe/recipe.h"

#include <QImage>
#include <QStringList>

#include <functional>
#include <memory>
#include <optional>

namespace yolk::app {

struct SetCard {
    bool isMade = false;
    QImage picture;       ///< null: not made, or it cannot be
    QStringList troubles; ///< in words: frames left out, range missing, why it cannot be opened
    int rating = 0;
    bool chosen = false, isWorkedOnByHand = false;
    bool isOpenElsewhere = false; ///< its last change could not be kept: another window has the work
    QString project;              ///< file of its work; empty: there is none yet
    Recipe recipe;                ///< of the work, or the start
    KnownSet known;               ///< so that opening it does not measure it again
    bool hasExposureData = false; ///< the files say how the frames were exposed
};

/// A change of one set among others; every part is left out where it is empty.
struct SetChange {
    QString what; ///< in words, as a step of undo
    std::function<Recipe(const Recipe &now, const Recipe &start, const Measured &measured)> settings{};
    bool overHand = false; ///< also where somebody worked by hand
    std::optional<int> rating{};
    std::optional<bool> chosen{};
};

/// Opens the set, of which `known` may be known, and with a change keeps its work; the picture fits into `side` pixels. What cannot be done stands in
/// `troubles`. Not for the window's thread. Throws Cancelled.
SetCard makeCard(const QStringList &paths, int side, const SetChange *change, const KnownSet &known, ExecContext &ctx);

/// The settings of sets of one place, which then look as of one light: the white in the middle of theirs (in mired), and as
/// bright for as much light of the scene. Without exposure data brightness stays. Source: common practice, no published
/// source.
struct SameRoom {
    WhitePoint white;
    std::optional<double> brightness; ///< log2 of display light for light of the scene
};
SameRoom sameRoomOf(const std::vector<const SetCard *> &cards);
Recipe inRoom(const Recipe &recipe, const Measured &measured, const SameRoom &room);

} // namespace yolk::app
