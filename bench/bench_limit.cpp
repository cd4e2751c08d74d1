// The merge against the physical limit, on simulated flat patches whose light is known.
#include "benchmarks.h"

#include "frames/noise_estimate.h"
#include "io/linear_codes.h"
#include "merge/radiance_merge.h"

#include <cmath>
#include <random>

namespace yolk::bench {
namespace {

constexpr int kSide = 640; // 409 600 pixels, three channels: the ratio itself is known to 0.06 %
const std::vector<double> kExposures{16, 4, 1, 0.25, 0.0625};

/// A sensor: electrons at clipping, read noise in electrons, linear steps of 14 bits.
struct Sensor {
    const char *name;
    double fullWell, read;
    NoiseModel noise() const
    {
        const double step = std::exp2(-14);
        return {1.0 / fullWell, read * read / (fullWell * fullWell) + step * step / 12.0};
    }
    double sample(double z, std::mt19937_64 &random) const
    {
        double electrons = z * fullWell;
        if (electrons < 30.0)
            electrons = double(std::poisson_distribution<int>(electrons)(random));
        else // a Poisson number of that mean is normal to within the read noise
            electrons = std::round(electrons + std::sqrt(electrons) * std::normal_distribution<double>()(random));
        electrons += read * std::normal_distribution<double>()(random);
        return std::min(1.0, std::round(std::ldexp(electrons / fullWell, 14)) * std::exp2(-14));
    }
};

/// One frame of patches side by side, light growing by `factor` from patch to patch.
Image<uint16_t> shoot(const Sensor &sensor, const std::vector<double> &lights, double exposure, int side, uint64_t seed)
{
    Image<uint16_t> out(side * int(lights.size()), side, 3);
    std::mt19937_64 random(seed);
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < side; ++y)
            for (size_t patch = 0; patch < lights.size(); ++patch)
                for (int x = 0; x < side; ++x)
                    out.row(c, y)[int(patch) * side + x] =
                        codeOfLinear(sensor.sample(lights[patch] * exposure, random));
    return out;
}

/// A bracket of one flat patch.
std::vector<Image<uint16_t>> patchFrames(const Sensor &sensor, double light, ExecContext &ctx)
{
    std::vector<Image<uint16_t>> out(kExposures.size());
    forEachPart(ctx, int(out.size()), [&](int i, ExecContext &) {
        out[size_t(i)] =
            shoot(sensor, {light}, kExposures[size_t(i)], kSide, std::bit_cast<uint64_t>(light) + size_t(i));
    });
    return out;
}

/// Cramer-Rao: 1 / variance of light is at most the sum of e^2 / variance(z), over frames that hold z below `usable`.
double information(const Sensor &sensor, double light, double usable)
{
    double out = 0.0;
    for (double e : kExposures)
        if (light * e < usable)
            out += e * e / sensor.noise().variance(light * e);
    return out;
}

struct Score {
    double ratio; ///< RMS error over that of the bound
    double bias;  ///< of light
};

Score scoreOf(const std::vector<Image<uint16_t>> &frames, const std::vector<NoiseModel> &models, double light,
              double information, ExecContext &ctx)
{
    std::vector<Exposure> exposures;
    for (size_t i = 0; i < frames.size(); ++i)
        exposures.push_back({frames[i].view(), kExposures[i], models[i], 1.0});
    const Merged merged = mergeRadiance(exposures, {1, 1, 1}, ctx);
    double sum = 0.0, squares = 0.0;
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < kSide; ++y)
            for (int x = 0; x < kSide; ++x) {
                const double error = double(merged.radiance.row(c, y)[x]) - light;
                sum += error;
                squares += error * error;
            }
    const double n = 3.0 * kSide * kSide;
    return {std::sqrt(squares / n * information), std::abs(sum / n / light)};
}

/// The noise model of each frame as it is found in pictures of the sensor: smooth patches of many brightnesses.
std::vector<NoiseModel> estimatedModels(const Sensor &sensor, ExecContext &ctx)
{
    std::vector<double> lights;
    for (double light = 2e-4; light < 20.0; light *= 1.3)
        lights.push_back(light);
    std::vector<NoiseBlock> blocks; // of one camera at one ISO, as measureFrames() pools them
    for (size_t i = 0; i < kExposures.size(); ++i) {
        const Image<uint16_t> frame = shoot(sensor, lights, kExposures[i], 128, 77 + i);
        const std::vector<NoiseBlock> more = noiseBlocks(frame.view(), {1, 1, 1}, ctx);
        blocks.insert(blocks.end(), more.begin(), more.end());
    }
    const auto found = estimateNoise(std::move(blocks));
    if (!found)
        return {};
    NoiseModel model = found->model;
    if (!found->readNoiseKnown)
        model.readVariance = sensor.noise().readVariance * 2.0; // what an assumption may be off by
    return std::vector<NoiseModel>(kExposures.size(), model);
}

} // namespace

void benchLimit(Report &report, const std::string &)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    double known = 0.0, estimated = 0.0, ramp = 0.0, bias = 0.0;
    for (const Sensor &sensor :
         {Sensor{"ISO 100", 25000, 4}, Sensor{"ISO 1600", 1562, 4}, Sensor{"ISO 6400", 390, 4}}) {
        const std::vector<NoiseModel> truth(kExposures.size(), sensor.noise());
        const std::vector<NoiseModel> found = estimatedModels(sensor, ctx);
        const double sigma = std::sqrt(sensor.noise().variance(1.0));
        const double high = 1.0 - 4.0 * sigma, low = high * std::exp2(-0.1); // the ramp of the goal
        Score best{}, fitted{0.0, found.empty() ? INFINITY : 0.0}, inside{};
        const auto worse = [](Score &of, const Score &s) {
            of = {std::max(of.ratio, s.ratio), std::max(of.bias, s.bias)};
        };
        for (double light = 1e-5; light < 14.0; light *= 2.0) {
            const bool near = std::ranges::any_of( // letting go begins or a frame is on its way out: scored below
                kExposures, [&](double e) { return light * e > low - 4.0 * sigma && light * e < 1.1; });
            const double bound = information(sensor, light, low);
            if (near || light * std::sqrt(bound) < 1.0)
                continue;
            const std::vector<Image<uint16_t>> frames = patchFrames(sensor, light, ctx);
            worse(best, scoreOf(frames, truth, light, bound, ctx));
            if (!found.empty())
                worse(fitted, scoreOf(frames, found, light, bound, ctx));
        }
        for (size_t i = 0; i + 1 < kExposures.size(); ++i) // the darkest frame has no darker one to hand over to
            for (double t = 0.05; t < 1.0; t += 0.18) {
                const double light = (low + t * (high - low)) / kExposures[i];
                worse(inside,
                      scoreOf(patchFrames(sensor, light, ctx), truth, light, information(sensor, light, 1.0), ctx));
            }
        std::printf("  %-10s error over bound: known %.4f, estimated %.4f, ramp %.3f; bias %.5f, in the ramp %.5f\n",
                    sensor.name, best.ratio, fitted.ratio, inside.ratio, std::max(best.bias, fitted.bias), inside.bias);
        std::fflush(stdout);
        known = std::max(known, best.ratio);
        estimated = std::max(estimated, fitted.ratio);
        ramp = std::max(ramp, inside.ratio);
        bias = std::max({bias, best.bias, fitted.bias, inside.bias});
    }
    report.add("merge.crb_ratio_max", known, "error over the physical limit, noise known, at most 1.02");
    report.add("merge.crb_ratio_estimated_max", estimated,
               "the same with the noise found in the pictures, at most 1.05");
    report.add("merge.crb_ratio_ramp_max", ramp, "within the approach to clipping, at most 2.0");
    report.add("merge.bias_max", bias, "where SNR >= 1, at most 0.005");
}

} // namespace yolk::bench
