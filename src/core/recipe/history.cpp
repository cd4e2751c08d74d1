#include "recipe/history.h"

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

void History::undo()
{
    if (canUndo())
        states_[at_--].gesture.clear(); // a later drag of the same control starts an entry of its own
}

void History::redo()
{
    if (canRedo())
        ++at_;
}

} // namespace yolk
