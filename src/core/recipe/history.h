// Undo and redo: a list of recipes with names for what changed.
#pragma once

#include "recipe/recipe.h"

#include <functional>
#include <span>
#include <string>
#include <vector>

namespace yolk {

struct HistoryState {
    Recipe recipe;
    std::string what;      ///< that led to it
    std::string gesture{}; ///< of the drag that it belongs to
};

class History {
public:
    explicit History(Recipe start = {}) : states_{{std::move(start), {}}} {}
    /// As it was kept; the last of `states`, of which there is one at least, is current.
    explicit History(std::vector<HistoryState> states) : states_(std::move(states)), at_(states_.size() - 1) {}

    const Recipe &current() const { return states_[at_].recipe; }
    const Recipe &opening() const { return states_.front().recipe; } ///< the state before all others

    /// Adds a state; what was undone before is dropped. A state with the non-empty `gesture` of the newest one takes
    /// its place: one drag is one entry. An equal recipe adds nothing. Returns whether the recipe changed.
    bool push(Recipe recipe, std::string what, const std::string &gesture = {});

    /// Changes all states: for what came into being and was not there when they were made.
    void amendAll(const std::function<void(Recipe &)> &amend);

    /// From the opening to the current one; and with what was undone behind it.
    std::span<const HistoryState> statesSoFar() const { return {states_.data(), at_ + 1}; }
    std::span<const HistoryState> states() const { return states_; }
    size_t at() const { return at_; } ///< index of the current one in states()
    void goTo(size_t index);          ///< makes another one current: so many steps of undo or redo

    bool canUndo() const { return at_ > 0; }
    bool canRedo() const { return at_ + 1 < states_.size(); }
    std::string undoName() const { return canUndo() ? states_[at_].what : std::string(); }
    std::string redoName() const { return canRedo() ? states_[at_ + 1].what : std::string(); }
    void undo();
    void redo();

private:
    std::vector<HistoryState> states_;
    size_t at_ = 0;
};

} // namespace yolk
