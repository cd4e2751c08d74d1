// Looking into the merged light without changing anything: the light itself, a window of it, and what the merge knows
// of every pixel.
#pragma once

#include "render/plan/render_plan.h"

#include <array>

namespace yolk {

enum class InspectMode {
    Light,    ///< without any tone method: linear light under an exposure
    Peek,     ///< only the stops of a window, spread over the display
    Sources,  ///< which frames a pixel comes from
    Noise,    ///< signal to noise of the luminance, in stops
    Clipped,  ///< the picture, and what is clipped in every frame
    Edges,    ///< edges of one aligned frame over those of the reference
    Movement, ///< the picture in grey, and where something moved which frame stands there
    Lights,   ///< where a second light falls, in the colours of lampColour(); all daylight without one
    Faint,    ///< what differs slightly from what lies round it, in grey: dust, and seams of what was mended
    Hdr,      ///< the picture, and what of its HDR light a screen cuts
};

struct Inspection {
    InspectMode mode = InspectMode::Light;
    double exposureEv = 0.0;           ///< Light: on top of 1.0 = white
    double lowEv = -4.0, highEv = 0.0; ///< Peek: the window on the light scale, at least kLeastWindowEv wide
    double screenStops = 1.0;          ///< Hdr: so far over white a screen can go
    std::string frame{};               ///< Edges: by its id; empty or not in use: the darkest that is not the reference
    bool operator==(const Inspection &) const = default;
};
inline constexpr InspectMode kLastInspectMode = InspectMode::Hdr;
inline constexpr double kLeastWindowEv = 0.5;

/// What hatching says of a pixel of an inspected view.
enum class Hatch : uint8_t { None, Clipped, Above, Below, Moved, EndsWhite, EndsBlack, Reached };

struct Inspected {
    Image<float> display; ///< width x height x 3, display-linear sRGB in [0, 1]
    Image<uint8_t> hatch; ///< width x height x 1, of Hatch. Clipped: where any pixel of the merge under it is
};

/// Shapes and errors as render(); ArgumentError for a window that is too narrow. Sources and noise of a view that is
/// smaller than the merge come from four pixels of it under each of the view's.
Inspected inspect(const Sources &sources, const Recipe &recipe, const Measured &measured, const RenderRequest &request,
                  const Inspection &inspection, ExecContext &ctx);

/// Linear sRGB of frame `index` of `count` in the sources view, dark to bright frames.
Vector3 sourceColour(int index, int count);

/// Linear sRGB of edges that only the reference has, or only the other frame; where both lie they add to white.
inline constexpr Vector3 kReferenceEdges{0.0, 0.62, 0.80}, kFrameEdges{1.0, 0.38, 0.20};

/// Linear sRGB of a share of the lamp, 0 .. 1, in the view of the lights: lighter where it is more.
Vector3 lampColour(double share);

/// Which of the frames in use an inspection of edges shows: index in Bracket::used(); the reference when it is alone.
size_t edgesFrame(const Bracket &bracket, const Inspection &inspection);

/// Linear sRGB of a signal that stands so many stops over its noise: even steps of a stop, lighter where it is cleaner.
inline constexpr int kCleanStops = 8;
Vector3 noiseColour(double stops);

} // namespace yolk
