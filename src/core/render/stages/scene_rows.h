// Merged pixels as the light of the scene: the one place where the white balance meets the merge.
#pragma once

#include "image/resample.h"
#include "render/stages/merge_stage.h"

namespace yolk {

/// What clipped everywhere is white whatever the white balance, by as much as it faded to white: under another balance
/// than as shot such a pixel is shifted by how bright that white is.
class SceneRows {
public:
    /// `white` as RenderPlan has it; `onwards` from Rec. 2020 to other primaries. Refers to `set`.
    SceneRows(const MergedSet &set, const Matrix3 &white, const Matrix3 &onwards = {});

    /// Row y of the merge, its pixels from x0 to x1: linear RGB.
    void read(int y, int x0, int x1, float *const to[3]) const;

    /// Of pixels that were averaged: the merge's R, G and B, and how bright their white is where shiftsClipped(); the
    /// results may lie where the values came from.
    void turn(const float *const from[4], int count, float *const to[3]) const;
    bool shiftsClipped() const { return shifts_; }

    /// How bright the white of a pixel is whose `clipped` is above 0.
    static float clippedLight(const MergedSet &set, int x, int y);

private:
    const MergedSet &set_;
    Matrix3 matrix_;
    bool shifts_;
    float shift_[3];
};

} // namespace yolk
