// Painting views: what a job needs to know, all values, and what it hands back.
#pragma once

#include "colour/monitor.h"
#include "document/areas.h"
#include "render/files/output_ends.h"
#include "render/views/frame_scene.h"
#include "render/views/inspect.h"

#include <QColor>
#include <QImage>
#include <QRectF>
#include <QSize>

#include <array>
#include <memory>
#include <optional>

namespace yolk::app {

/// What the canvas wants to see: a part of the picture, in full-resolution pixels, at a size in device pixels.
struct ViewRequest {
    QRectF region;
    QSize size;
    bool operator==(const ViewRequest &) const = default;
};

/// A rendered view, ready for the screen.
struct ViewPicture {
    QImage image;
    QRectF region;
    bool full = false;  ///< from the full decode, not from the first picture's reduced one
    bool exact = false; ///< as RenderRequest has it
    QImage against;     ///< the same part of what it is compared with; null without a comparison
    double milliseconds = 0.0; ///< that it took
};

/// A frame in place of the picture.
struct FrameView {
    /// Upright as its file has it; or aligned, in the picture's brightness or its own.
    enum class As { File, Through, Taken };
    size_t frame; ///< in Sources::frames
    As as;
};

/// What is shown, for one side of the canvas.
struct ViewJob {
    Sources sources;
    Measured measured;
    Recipe recipe;
    std::optional<FrameView> frame{};
    std::optional<Inspection> inspection{};
    std::optional<EndsOf> ends{}; ///< hatched where the output stands at its ends
    /// Other settings: hatched where the picture would be another one under the second than under the first.
    std::optional<std::array<Recipe, 2>> reach{};
    /// An area of the recipe, by its index there, and how it is shown.
    std::optional<std::pair<size_t, AreaLook>> area{};
    QColor overlay{};
    std::shared_ptr<const MonitorProfile> monitor{};
    std::shared_ptr<const MonitorTransform> proof{}; ///< takes the place of the monitor's own: what a profile holds
    OutputSpace space = OutputSpace::Srgb;           ///< that pictures are brought into before the monitor's own values
    int reduction = 1;
    bool exact = false; ///< of a picture that is made smaller: as a file would show it
    double draft = 1.0; ///< share of the view's sides that a picture without an area's mask is drawn at and enlarged from
    /// The part of our picture, full-resolution pixels, that this one of another size is laid over: as large as it fits.
    std::optional<QRectF> over{};
};

/// Throws as render().
QImage paintView(const ViewJob &job, const ViewRequest &view, ExecContext &ctx);

} // namespace yolk::app
