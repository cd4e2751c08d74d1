// How large views are drawn while settings move: as large as leaves a slider its answer in time.
#pragma once

#include <QtGlobal>

#include <array>
#include <optional>

namespace yolk::app {

class ViewPace {
public:
    /// Milliseconds that drawing a view may take while settings move; none: views are always drawn whole.
    void setBudget(std::optional<double> milliseconds) { budget_ = milliseconds; }
    /// Side of a draft over the side of the view, 0.5 to 1, for a view of `pixels` that is asked for at `now`,
    /// milliseconds of any clock. What follows a pause is drawn whole. Until the next one the scale only falls: every
    /// other size reads the scene anew, and a picture that keeps changing its sharpness is no help to the eye.
    double scaleFor(double pixels, qint64 now);
    /// What a view took of which so many pixels were drawn.
    void took(double pixels, double milliseconds);

private:
    static constexpr double kBudget = 22.0; // a slider's 33, less what the window takes to paint
    std::optional<double> budget_ = kBudget;
    std::array<double, 2> recent_{}; // milliseconds a pixel, the latest last; 0: not known
    std::optional<qint64> asked_;
    double scale_ = 1.0;
};

} // namespace yolk::app
