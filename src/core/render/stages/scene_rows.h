// Merged pixels as the light of the scene: the one place where the white balance meets the merge.
#pragma once

#include "image/resample.h"
#include "lens/rim_light.h"
#include "render/stages/lamp_stage.h"
#include "render/stages/merge_stage.h"

namespace yolk {

/// What clipped everywhere is white whatever the white balance, by as much as it faded to white: under another balance
/// than as shot such a pixel is shifted by how bright that white is.
class SceneRows {
public:
    /// `white` as RenderPlan has it, `lamp` as lampWhiteOf() of that plan, `rim` as it has it; `onwards` from Rec. 2020 to other primaries.
    /// Refers to `set`.
    SceneRows(const MergedSet &set, const Matrix3 &white, LampWhitePtr lamp, const RadialCurve &rim,
              const Matrix3 &onwards = {});

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

    /// How bright the white of a pixel is whose `clipped` is above 0.
    static float clippedLight(const MergedSet &set, int x, int y);

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
    LampWhitePtr lamp_;
    RimLight rim_;
    Matrix3 matrix_;
    Vector3 asShot_; ///< what is white as shot
    bool shifts_;
};

} // namespace yolk
