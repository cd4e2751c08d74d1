#include "document/view_pace.h"

#include <algorithm>

namespace yolk::app {

double ViewPace::scaleFor(double pixels, qint64 now)
{
    constexpr qint64 kPause = 400; // milliseconds: longer than between two moves of a hand
    constexpr double kScales[] = {0.84, 0.71, 0.6, 0.5}; // about 0.7 of the pixels each; less is too soft to judge by
    const bool moves = asked_ && now - *asked_ <= kPause;
    asked_ = now;
    if (!moves || !budget_)
        return scale_ = 1.0;
    const double pace = std::ranges::min(recent_); // what was slow once had something to find first, or company
    const auto fits = [&](double scale) { return pace * pixels * scale * scale <= *budget_; };
    for (const double *next = kScales; next != std::end(kScales) && !fits(scale_); ++next)
        scale_ = std::min(scale_, *next);
    return scale_;
}

void ViewPace::took(double pixels, double milliseconds)
{
    recent_ = {recent_[1], milliseconds / std::max(pixels, 1.0)};
}

} // namespace yolk::app
