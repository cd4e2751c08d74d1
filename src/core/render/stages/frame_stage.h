// The first stages: decode, response, fringes, dust, noise of dark frames. What the merge takes.
#pragma once

#include "render/plan/render_plan.h"

namespace yolk {

/// What of recipe and measurement decides how one frame is prepared.
struct Preparation {
    const Response *response = nullptr;                ///< nullptr: by the file's own curve
    double whiteShare = 1.0;                           ///< as in MeasuredFrame
    Vector3 gains{1.0, 1.0, 1.0};                      ///< the same
    const Unevenness *unevenness = nullptr;            ///< nullptr: even
    const std::vector<SensorPlace> *defects = nullptr; ///< nullptr: none
    const Fringes *fringes = nullptr;                  ///< nullptr: as the lens left it
    const SharedList<DustSpot> *dust = nullptr;        ///< nullptr: none of known depth
    Demosaic demosaic = Demosaic::Best;
    double denoise = 0.0; ///< strength, 0 .. 1
    bool isAlone = false; ///< a dark frame, of which all noise is seen: its colours are calmed as well
    NoiseModel noise;
    void hash(Hasher &hasher) const;
};
Preparation preparationOf(const BracketFrame &frame, const PlacedSet &known, const Recipe &recipe);

/// Linear codes as the file gives them. Reduced decodes are kept: measuring and the first picture read the same ones.
/// Throws InputError, Cancelled.
DecodedPtr decoded(const Sources &sources, const Frame &frame, int reduction, ExecContext &ctx);

/// What the sensor of a raw frame shows; comes with the decode that it is measured on. Throws as decoded().
SensorLookPtr sensorLook(const Sources &sources, const Frame &frame, ExecContext &ctx);

/// Linear codes ready for the merge. Throws as decoded().
DecodedPtr prepared(const Sources &sources, const Frame &frame, const Preparation &preparation, int reduction,
                    ExecContext &ctx);

} // namespace yolk
