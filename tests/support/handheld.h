// A camera that moves by a known transform between exposures.
#pragma once

#include "align/align_frames.h"
#include "image/image.h"

#include <random>
#include <vector>

namespace yolk::test {

/// A scene for pictures of width x height with room to move around it, kSceneDetail samples to a pixel, linear Rec.
/// 709.
/// Even seeds: the demo scene, mirrored; odd ones: a fractal of twelve stops.
inline constexpr double kSceneDetail = 1.5;
Image<float> wideScene(int width, int height, unsigned seed, ExecContext &ctx);

/// What the camera sees of it: `toFrame` takes pixels of the reference frame to this frame's. Each pixel is the mean of
/// four cubic samples.
Image<float> seenUnder(const Image<float> &scene, const Transform &toFrame, int width, int height, ExecContext &ctx);

/// Turned by up to `degrees`, shifted and distorted until the farthest corner moves by `corner` pixels.
Transform randomMotion(std::mt19937 &random, int width, int height, double degrees, double corner);

/// Distances on a 5 x 5 grid over the picture, pixels.
std::vector<double> gridErrors(const Transform &found, const Transform &truth, int width, int height);

/// The green light that so large a share of a scene's pixels lies under, from every seventh pixel of every seventh row.
double lightUnder(const Image<float> &scene, double share);

} // namespace yolk::test
