// Merged pixels as the light of the scene: the one place where the white balance meets the merge.
#pragma once

#include "image/resample.h"
#include "lens/rim_light.h"
#include "render/stages/lamp_stage.h"
#include "render/stages/mend_stage.h"

namespace yolk {

/// What clipped everywhere is white whatever the white balance, by as much as it faded to white: under another balance
/// than as shot such a pixel is shifted by how bright that white is.
class SceneRows {
public:
    /// `white` as RenderPlan has it, `lamp` as lampWhiteOf() of that plan, `rim` as it has it; `onwards` from Rec. 2020 to other primaries.
    /// Refers to `set`. `mending` as mendingOf() of that plan; null: nothing is mended.
    SceneRows(const MergedSet &set, const Matrix3 &white, LampWhitePtr lamp, const RadialCurve &rim,
              const Matrix3 &onwards = {}, MendingPtr mending = nullptr);

    /// Row y of the merge, its pixels from x0 to x1: linear RGB.
    void read(int y, int x0, int x1, float *const to[3]) const;

    /// Where the pixels of a row lie in the scene, in shares of its sides: the first one's middle, and the way to the next.
    struct Place {
        double x, step, y;
    };
    /// Of pixels that were averaged: the merge's R, G and B, and how bright their white is where shiftsClipped(); the
    /// results may lie where the values came from.
    void turn(const float *const from[4], int count, const Place &place, float *const to[3]) const;
    bool shiftsClipped() const { return shifts_; }

    /// How bright the white is of pixel x of a row of the merge, `clipped` as Merged has it; 0 where it is not clipped.
    static float clippedLight(const CodeValues &colour, const float *const rgb[3], uint8_t clipped, int x);

private:
    struct Shift {
        int x;
        std::array<float, 3> add;
    };
    Shift shiftOf(int x, float light, const Vector3 &gains) const;
    template <class LightAt>
    void turn(const float *const from[3], int count, const Place &place, const LightAt &lightAt,
              float *const to[3]) const;

    const MergedSet &set_;
    MendingPtr mending_;
    LampWhitePtr lamp_;
    RimLight rim_;
    Matrix3 matrix_;
    Vector3 asShot_; ///< what is white as shot
    bool shifts_;
};

} // namespace yolk
