#include "worlds/world.h"

#include "counted_noise.h"

#include "base/text.h"
#include "colour/transfer.h"

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <numbers>

namespace yolk::worlds {
namespace {

/// The shutter's marks near a time (common practice, no published source).
double markedTime(double seconds)
{
    constexpr double kMarks[] = {1 / 8000.0, 1 / 6400.0, 1 / 5000.0, 1 / 4000.0, 1 / 3200.0, 1 / 2500.0, 1 / 2000.0,
                                 1 / 1600.0, 1 / 1250.0, 1 / 1000.0, 1 / 800.0,  1 / 640.0,  1 / 500.0,  1 / 400.0,
                                 1 / 320.0,  1 / 250.0,  1 / 200.0,  1 / 160.0,  1 / 125.0,  1 / 100.0,  1 / 80.0,
                                 1 / 60.0,   1 / 50.0,   1 / 40.0,   1 / 30.0,   1 / 25.0,   1 / 20.0,   1 / 15.0,
                                 1 / 13.0,   1 / 10.0,   1 / 8.0,    1 / 6.0,    1 / 5.0,    1 / 4.0,    0.3,
                                 0.4,        0.5,        0.6,        0.8,        1.0,        1.3,        1.6,
                                 2.0,        2.5,        3.2,        4.0,        5.0,        6.0,        8.0,
                                 10.0,       13.0,       15.0,       20.0,       25.0,       30.0};
    return *std::ranges::min_element(kMarks, {}, [&](double m) { return std::abs(std::log2(m / seconds)); });
}

double medianLuminance(ImageView<const float> rgb)
{
    std::vector<float> values;
    for (int y = 0; y < rgb.height(); y += 4)
        for (int x = 0; x < rgb.width(); x += 4)
            values.push_back(0.2126f * rgb.row(0, y)[x] + 0.7152f * rgb.row(1, y)[x] + 0.0722f * rgb.row(2, y)[x]);
    std::ranges::nth_element(values, values.begin() + ptrdiff_t(values.size() / 2));
    return double(values[values.size() / 2]);
}

constexpr double kFlickerBand = 0.21; // of the height: rows that one period of the lamp passes over

} // namespace

double World::code(double z, int channel) const
{
    if (!isCurved())
        return encodeSrgb(z);
    const double v = encodeSrgb(demo::cameraShoulder(z, shoulder * channelShoulder[size_t(channel)]));
    return v - bend * std::sin(2.0 * std::numbers::pi * v) / (2.0 * std::numbers::pi); // an S
}

std::string World::words() const
{
    constexpr const char *kMotion[] = {"static", "hand-held", "moving", "both"};
    constexpr const char *kKind[] = {"raw", "jpeg", "tiff", "curved jpeg", "curved tiff"};
    constexpr const char *kMarked[] = {"right", "rounded", "off", "lie", "absent"};
    return textOf("%s, %s, %zu frames %.1f EV apart, marks %s, %.0f stops%s%s%s%s", kMotion[int(motion)],
                  kKind[int(kind)], frames.size(), std::abs(frames[1].ev - frames[0].ev), kMarked[int(marks)],
                  scene.stops, scene.foliage ? ", foliage" : "", whiteDiffers ? ", white differs" : "",
                  flicker > 0.0 ? ", flicker" : "", hasLowPlateau() ? ", low plateau" : "");
}

double World::lampsAt(const FrameSpec &frame, double row) const
{
    const double phase = row / kFlickerBand + frame.flickerPhase;
    return 1.0 - flicker + flicker * 0.5 * (1.0 + std::sin(2.0 * std::numbers::pi * phase));
}

double World::linearShare() const
{
    return std::ranges::min(sensor.plateau) * (1.0 - sensor.softEnd);
}

World worldOf(uint64_t seed, int width, int height)
{
    World out;
    out.seed = seed;
    uint64_t n = 0;
    const auto roll = [&] { return demo::uniform(seed * 2654435761u + 99, n++); };
    const auto between = [&](double low, double high) { return low + (high - low) * roll(); };
    out.motion = Motion(seed % 4);
    const double stops = between(8.0, 18.0);
    out.scene = {seed, width, height, stops, roll() < 0.3, out.hasMovers()};
    const double kind = roll();
    out.kind = kind < 0.4    ? FileKind::Raw
               : kind < 0.6  ? FileKind::PlainJpeg
               : kind < 0.7  ? FileKind::PlainTiff
               : kind < 0.88 ? FileKind::CurvedJpeg
                             : FileKind::CurvedTiff;
    const double marks = roll();
    out.marks = marks < 0.3    ? Marks::Right
                : marks < 0.5  ? Marks::Rounded
                : marks < 0.8  ? Marks::Off
                : marks < 0.87 ? Marks::Lie
                               : Marks::Absent;
    constexpr int kCounts[] = {2, 3, 3, 3, 5, 5, 5, 5, 7, 9};
    const int count = kCounts[int(roll() * 10)];
    const double step = count >= 7   ? 1.0
                        : count == 2 ? 2.0
                                     : std::round(between(1.0, count == 3 ? 4.0 : 2.6) * 3.0) / 3.0;
    const bool isoVaries = roll() < 0.1;
    const int iso = 100 << int(roll() * 4.0);
    const double baseSeconds = std::exp2(-std::round(between(3.0, 7.0)));
    const double amount = 0.02 * width;
    const int liar = int(roll() * count);
    out.lens = {.softness = between(0.3, 0.7), .vignetting = roll() < 0.4 ? between(0.2, 1.2) : 0.0, .antiAlias = 0.5};
    out.whiteDiffers = !out.isRaw() && roll() < 0.15;
    out.flicker = roll() < 0.1 ? between(0.05, 0.3) : 0.0;
    for (int i = 0; i < count; ++i) {
        FrameSpec f;
        const double ideal = step * (i - (count - 1) / 2);
        f.ev = ideal + (out.marks == Marks::Off ? between(-0.1, 0.1) : 0.0);
        double seconds = baseSeconds * std::exp2(ideal);
        if (isoVaries && i > 0 && out.marks != Marks::Rounded) { // the camera raises ISO in place of time
            f.iso = std::clamp(int(std::lround(iso * std::exp2(std::min(ideal, 3.0)))), 50, 12800);
            seconds = baseSeconds * std::exp2(ideal) * iso / f.iso;
        } else {
            f.iso = iso;
        }
        f.markedSeconds = out.marks == Marks::Rounded ? markedTime(seconds) : seconds;
        if (out.marks == Marks::Lie && i == liar)
            f.markedSeconds *= i % 2 ? 2.0 : 0.5;
        if (out.isHandHeld() && i > 0) {
            const auto any = [&](double size) { return between(-size, size); };
            f.pose = {any(amount),      any(amount),       any(1.2) * std::numbers::pi / 180.0,
                      1.0 + any(0.004), any(0.4 * amount), any(0.4 * amount)};
        }
        if (out.whiteDiffers)
            f.gains = {between(0.85, 1.1), 1.0, between(0.85, 1.1)};
        f.flickerPhase = roll();
        out.frames.push_back(f);
    }
    out.quality = 80 + int(roll() * 19.0);
    if (out.isCurved()) {
        const double curve = roll();
        out.shoulder = curve < 0.7 ? between(0.2, 2.5) : 0.0;
        out.bend = curve >= 0.4 ? between(0.15, 0.5) : 0.0;
        if (roll() < 0.3)
            out.channelShoulder = {between(0.6, 1.4), 1.0, between(0.6, 1.4)};
    }
    if (out.isRaw()) {
        const bool low = roll() < 0.6;
        const double all = between(0.01, 0.09);
        for (double &p : out.sensor.plateau)
            p = low ? 1.0 - std::clamp(all + between(-0.015, 0.015), 0.01, 0.09) : 1.0;
        out.sensor.softEnd = low && roll() < 0.5 ? 0.02 : 0.0;
        out.sensor.blackError = roll() < 0.3 ? between(-6.0, 6.0) : 0.0;
        out.sensor.rowNoise = roll() < 0.3 ? between(0.3, 1.0) : 0.0;
        out.sensor.hotPixels = roll() < 0.3 ? 40 : 0;
        out.sensor.hotSeed = seed;
    }
    return out;
}

ShotWorld shoot(const World &world, const std::string &folder, ExecContext &ctx)
{
    std::filesystem::create_directories(folder);
    ShotWorld out;
    const std::vector<Leaf> leaves = growLeaves(world.scene);
    const size_t n = world.frames.size();
    std::vector<Image<float>> lights(n);
    for (size_t i = 0; i < n; ++i) {
        ExecContext own = ctx.child({});
        lights[i] = renderLeaves(leaves, world.scene, world.frames[i].pose, double(i), own);
    }
    // The middle frame as a meter would have it, or a stop beside.
    const double middle =
        medianLuminance(lights[0].view()) / 0.15 * std::exp2(2.0 * demo::uniform(world.seed, 77) - 1.0);
    out.paths.resize(n);
    out.seen.resize(n);
    for (const FrameSpec &f : world.frames)
        out.clipsAt.push_back(middle * std::exp2(-f.ev));
    ExecContext shooting = ctx.child({});
    forEachPart(shooting, int(n), [&](int k, ExecContext &) {
        const auto i = size_t(k);
        const FrameSpec &f = world.frames[i];
        out.seen[i] = demo::throughLens(lights[i].view(), world.lens);
        Image<float> caught(out.seen[i].shape());
        for (int y = 0; y < caught.height(); ++y) {
            const double now = world.lampsAt(f, double(y) / caught.height());
            for (int c = 0; c < 3; ++c)
                for (int x = 0; x < caught.width(); ++x)
                    caught.row(c, y)[x] = float(double(out.seen[i].row(c, y)[x]) * now * f.gains[size_t(c)]);
        }
        demo::Shot shot;
        shot.clipsAt = out.clipsAt[i];
        shot.exposureSeconds = f.markedSeconds;
        shot.iso = f.iso;
        shot.seed = world.seed * 100 + i;
        shot.tellsExposure = world.marks != Marks::Absent;
        shot.dateTime = textOf("2026:05:01 05:48:%02d", k);
        const bool jpeg = world.kind == FileKind::PlainJpeg || world.kind == FileKind::CurvedJpeg;
        out.paths[i] = textOf("%s/world-%llu-%d.%s", folder.c_str(), static_cast<unsigned long long>(world.seed), k + 1,
                              world.isRaw() ? "dng"
                              : jpeg        ? "jpg"
                                            : "tif");
        if (world.isRaw())
            demo::writeDng(out.paths[i], demo::exposeMosaic(caught.view(), shot, world.sensor).view(), shot);
        else
            demo::writeFrame(out.paths[i], demo::expose(caught.view(), shot).view(), shot,
                             jpeg ? demo::FrameFile::Jpeg : demo::FrameFile::Tiff,
                             demo::Development{.code = [&world](double z, int c) { return world.code(z, c); },
                                               .quality = world.quality,
                                               .halvedChroma = true});
    });
    if (!world.isRaw()) {
        const FramePtr first = loadFrame(out.paths[0]);
        out.bits = first->bits;
        out.codingVariance = first->codingVariance;
    }
    return out;
}

std::vector<Image<float>> statesSeenBy(const World &world, const ShotWorld &shot, size_t reference, ExecContext &ctx)
{
    const Image<float> &own = shot.seen[reference];
    std::vector<Image<float>> out;
    const std::vector<Leaf> leaves = growLeaves(world.scene);
    for (size_t i = 0; i < (world.hasMovers() ? world.frames.size() : 1); ++i) {
        if (i == reference || !world.hasMovers()) {
            Image<float> &copy = out.emplace_back(own.shape());
            for (int c = 0; c < own.planes(); ++c)
                for (int y = 0; y < own.height(); ++y)
                    std::copy_n(own.row(c, y), own.width(), copy.row(c, y));
            continue;
        }
        ExecContext rendering = ctx.child({});
        out.push_back(demo::throughLens(
            renderLeaves(leaves, world.scene, world.frames[reference].pose, double(i), rendering).view(), world.lens));
    }
    return out;
}

Image<uint8_t> stillMask(std::span<const Image<float>> states, size_t reference)
{
    const Image<float> &own = states[states.size() > 1 ? reference : 0];
    Image<uint8_t> out(own.width(), own.height(), 1);
    for (int y = 0; y < out.height(); ++y)
        std::fill_n(out.row(0, y), out.width(), uint8_t(1));
    constexpr int kNear = 6; // pixels
    for (const Image<float> &then : states)
        for (int y = 0; y < out.height(); ++y)
            for (int x = 0; x < out.width(); ++x)
                for (int c = 0; c < 3; ++c)
                    if (const float a = then.row(c, y)[x], b = own.row(c, y)[x];
                        std::abs(a - b) > 0.01f * std::max(a, b)) {
                        for (int v = std::max(0, y - kNear); v <= std::min(out.height() - 1, y + kNear); v += kNear)
                            for (int u = std::max(0, x - kNear); u <= std::min(out.width() - 1, x + kNear); ++u)
                                out.row(0, v)[u] = 0;
                        break;
                    }
    return out;
}

double trueLight(const World &world, double y, int channel)
{
    const double code = encodeSrgb(y);
    double low = 0.0, high = 1.0;
    for (int i = 0; i < 60; ++i) {
        const double middle = 0.5 * (low + high);
        (world.code(middle, channel) < code ? low : high) = middle;
    }
    return 0.5 * (low + high);
}

MeasuredSet toldTruth(const World &world, const ShotWorld &shot, const MeasuredSet &measured)
{
    MeasuredSet out = measured;
    const double share = world.linearShare();
    out.response = {};
    if (world.isCurved()) {
        out.response.fitted = true;
        out.response.byChannel = true;
        out.response.verdict = ResponseVerdict::Found;
        for (int c = 0; c < 3; ++c)
            for (int i = 1; i + 1 < Response::kKnots; ++i) {
                const double y = std::pow(double(i) / (Response::kKnots - 1), 2);
                out.response.bend[size_t(c)][size_t(i)] = std::log2(trueLight(world, y, c) / y);
            }
        for (auto &bend : out.response.bend)
            bend[0] = bend[1];
    }
    for (size_t i = 0; i < out.frames.size(); ++i) {
        MeasuredFrame &f = out.frames[i];
        const FrameSpec &spec = world.frames[i];
        f.whiteShare = world.isRaw() ? share : 1.0;
        f.gains = spec.gains;
        f.exposure = std::exp2(f.unevenness.most()) / shot.clipsAt[i] / f.whiteShare;
        f.source = ExposureSource::Refined;
        f.stated.reset();
        f.pictureSays = 0.0;
        const double steps = spec.iso / 100.0, read = demo::kReadNoise * steps / demo::kFullWell;
        f.noise =
            world.isRaw()
                ? NoiseModel{steps / demo::kFullWell / f.whiteShare,
                             (read * read + std::exp2(-2 * demo::kSensorBits) / 12.0) / (f.whiteShare * f.whiteShare)}
                : defaultNoise(shot.bits, spec.iso, shot.codingVariance,
                               world.isCurved() ? std::function([&](double y) { return trueLight(world, y, 1); })
                                                : std::function<double(double)>());
    }
    return out;
}

} // namespace yolk::worlds
