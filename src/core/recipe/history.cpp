#include "recipe/history.h"

#include <algorithm>

namespace yolk {

bool History::push(Recipe recipe, std::string what, const std::string &gesture)
{
    if (recipe == current())
        return false;
    states_.resize(at_ + 1);
    const bool sameGesture = at_ > 0 && !gesture.empty() && states_[at_].gesture == gesture;
    if (sameGesture)
        states_[at_].recipe = std::move(recipe);
    else {
        states_.push_back({std::move(recipe), std::move(what), gesture});
        ++at_;
    }
    return true;
}

void History::amendAll(const std::function<void(Recipe &)> &amend)
{
    for (HistoryState &state : states_)
        amend(state.recipe);
}

void History::goTo(size_t index)
{
    states_[at_].gesture.clear(); // a later drag of the same control starts an entry of its own
    at_ = std::min(index, states_.size() - 1);
}

void History::undo()
{
    if (canUndo())
        goTo(at_ - 1);
}

void History::redo()
{
    if (canRedo())
        goTo(at_ + 1);
}

} // namespace yolk
