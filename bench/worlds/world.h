// A world: a scene, a camera and its habits, all drawn from a seed, shot to files and known exactly.
#pragma once

#include "simulated_camera.h"
#include "worlds/leaves.h"

#include "render/render.h"

#include <span>
#include <string>
#include <vector>

namespace yolk::worlds {

enum class Motion { Static, HandHeld, Moving, Both };
enum class FileKind { Raw, PlainJpeg, PlainTiff, CurvedJpeg, CurvedTiff };
enum class Marks { Right, Rounded, Off, Lie, Absent };

struct FrameSpec {
    double ev = 0.0; ///< against the middle, as it really is
    double markedSeconds = 0.1;
    int iso = 100;
    Pose pose;
    Vector3 gains{1, 1, 1};    ///< white balance that this file was developed with
    double flickerPhase = 0.0; ///< of the bands
};

struct World {
    uint64_t seed = 0;
    SceneSpec scene;
    Motion motion = Motion::Static;
    FileKind kind = FileKind::Raw;
    Marks marks = Marks::Right;
    std::vector<FrameSpec> frames;
    demo::Sensor sensor;
    demo::Lens lens;
    int quality = 95;
    double shoulder = 0.0, bend = 0.0; ///< of the developed curve
    Vector3 channelShoulder{1, 1, 1};  ///< factors on the shoulder
    double flicker = 0.0;              ///< share of the light that comes and goes in bands of rows
    bool whiteDiffers = false;

    bool isRaw() const { return kind == FileKind::Raw; }
    bool isCurved() const { return kind == FileKind::CurvedJpeg || kind == FileKind::CurvedTiff; }
    bool hasLowPlateau() const { return sensor.plateau[1] < 1.0; }
    double linearShare() const; ///< of the stated white, up to which all channels of the sensor are linear
    bool isHandHeld() const { return motion == Motion::HandHeld || motion == Motion::Both; }
    bool hasMovers() const { return motion == Motion::Moving || motion == Motion::Both; }
    /// Code value of linear light, as its camera develops.
    double code(double z, int channel) const;
    /// Share of the lamps' light that a row got, `row` a share of the height.
    double lampsAt(const FrameSpec &frame, double row) const;
    std::string words() const; ///< what it is, in a line
};

/// Draws a world. Seeds below 1000 are for work.
World worldOf(uint64_t seed, int width = 1200, int height = 800);

/// Its frames as files, and everything that is known of them.
struct ShotWorld {
    std::vector<std::string> paths;
    std::vector<Image<float>> seen; ///< per frame what the lens showed, without noise or clipping
    std::vector<double> clipsAt;    ///< radiance of white at which a frame clips
    int bits = 8;                   ///< of developed files
    double codingVariance = 0.0;    ///< of developed files, squares of a code
};
ShotWorld shoot(const World &world, const std::string &folder, ExecContext &ctx);

/// What the scene was at the moment of each frame, seen from where frame `reference` stood; one where nothing moves.
std::vector<Image<float>> statesSeenBy(const World &world, const ShotWorld &shot, size_t reference, ExecContext &ctx);

/// What stands still: 1 where nothing that moves is, nor was near, in any of the states.
Image<uint8_t> stillMask(std::span<const Image<float>> states, size_t reference);

/// What was measured, with the truth of response, exposure, noise and white in place of it.
MeasuredSet toldTruth(const World &world, const ShotWorld &shot, const MeasuredSet &measured);

/// Light that a code value of the profile stands for, under the world's curve.
double trueLight(const World &world, double y, int channel);

} // namespace yolk::worlds
