#include "frames/white_level.h"

#include "base/errors.h"
#include "base/text.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <vector>

namespace yolk {
namespace {

/// Sensors end within a sixth of a stop below what is stated of them (common practice, no published source).
constexpr double kLowest = 0.85;
/// The width of a pile's window: what is soft at the end of a sensor (two per cent), and its noise.
constexpr double kPile = 0.03;
constexpr double kSameLevel = 0.01;
constexpr double kOtherExposure = 1.15; // of the means of two frames: exposures that differ by less say the same

/// Counts of one channel over values from black on.
class Channel {
public:
    Channel(const std::vector<uint32_t> &counts, double black) : counts_(counts), black_(size_t(std::max(0.0, black)))
    {
        for (size_t v = black_; v < counts_.size(); ++v) {
            total_ += counts_[v];
            sum_ += double(counts_[v]) * double(v - black_);
        }
    }
    double total() const { return total_; }
    double mean() const { return total_ > 0.0 ? sum_ / total_ : 0.0; }
    /// Pixels with values in [from, to) above black.
    double within(double from, double to) const
    {
        const auto at = [&](double v) {
            return std::min(counts_.size(), black_ + size_t(std::clamp(std::ceil(v), 0.0, 65536.0)));
        };
        return std::accumulate(counts_.begin() + ptrdiff_t(at(from)), counts_.begin() + ptrdiff_t(at(to)), 0.0);
    }
    double count(size_t v) const { return black_ + v < counts_.size() ? counts_[black_ + v] : 0.0; }
    /// The value that so many pixels reach: a few stray ones do not count.
    size_t top() const
    {
        const double few = std::max(50.0, 2e-5 * total_);
        double seen = 0.0;
        for (size_t v = counts_.size(); v-- > black_;)
            if ((seen += counts_[v]) >= few)
                return v - black_;
        return 0;
    }

private:
    const std::vector<uint32_t> &counts_;
    size_t black_;
    double total_ = 0.0, sum_ = 0.0;
};

struct Pile {
    double level = 0.0; ///< its most frequent value
    double mean = 0.0;  ///< of the frame
    bool narrow = false;
};

/// What crowds at the upper end of a frame's values.
std::optional<Pile> pileOf(const Channel &channel)
{
    const auto top = channel.top();
    if (top < 16)
        return std::nullopt;
    const double end = double(top) + 1.0, mass = channel.within(end * (1.0 - kPile), INFINITY);
    const double below = channel.within(end * 0.85, end * 0.95) * kPile / 0.10; // what the window would hold otherwise
    constexpr double kCrowded = 3.0, kFewest = 50.0, kSigmas = 6.0;
    if (mass < kCrowded * below + kSigmas * std::sqrt(below) + kFewest)
        return std::nullopt;
    Pile out;
    out.mean = channel.mean();
    double most = 0.0;
    for (auto v = size_t(end * (1.0 - kPile)); v <= top + 1; ++v) {
        const double near = channel.count(v) + (v > 0 ? channel.count(v - 1) : 0.0) + channel.count(v + 1);
        if (near > most) {
            most = near;
            out.level = double(v);
        }
    }
    // Of the three values the one that holds most.
    for (const double v : {out.level - 1.0, out.level + 1.0})
        if (v >= 0.0 && channel.count(size_t(v)) > channel.count(size_t(out.level)))
            out.level = v;
    out.narrow = most > 0.5 * mass;
    return out;
}

/// From the pile down to where values no longer crowd. What bends towards an end crowds as one over the distance: four
/// to six times as densely half a per cent below as at one to two; a bright wall that happens to lie there does not.
double linearEnd(std::span<const Channel> frames, double level)
{
    constexpr double kStep = 0.0025, kCrowded = 1.6, kBends = 2.0;
    const auto within = [&](double from, double to) {
        double sum = 0.0;
        for (const Channel &c : frames)
            sum += c.within(from * level, to * level);
        return sum;
    };
    if (within(0.995, 0.999) / 0.004 < kBends * within(0.98, 0.99) / 0.01)
        return level;
    const double expected = within(0.88, 0.955) * kStep / 0.075;
    double end = 1.0;
    while (end > 1.0 - kPile && within(end - kStep, end) > kCrowded * expected + 4.0 * std::sqrt(expected) + 4.0)
        end -= kStep;
    return end * level;
}

/// The end of a channel's linear values and its saturation, above black.
std::optional<std::pair<double, double>> endOf(std::span<const Channel> frames, double statedRange)
{
    std::vector<Pile> piles;
    for (const Channel &c : frames)
        if (const auto pile = pileOf(c); pile && pile->level >= kLowest * statedRange)
            piles.push_back(*pile);
    double level = 0.0;
    for (const Pile &a : piles) {
        const bool agreed = std::ranges::any_of(piles, [&](const Pile &b) {
            return std::abs(b.level / a.level - 1.0) < kSameLevel &&
                   std::max(a.mean, b.mean) > kOtherExposure * std::min(a.mean, b.mean);
        });
        if ((a.narrow || agreed) && (level == 0.0 || a.level < level))
            level = a.level;
    }
    if (level == 0.0)
        return std::nullopt;
    if (level >= statedRange - 1.0) // where the converter ends, and nothing bends before
        return std::pair(level, level);
    return std::pair(linearEnd(frames, level), level);
}

} // namespace

WhiteLevel statedWhiteLevel(const SensorCounts &counts)
{
    WhiteLevel out;
    for (size_t c = 0; c < 3; ++c)
        out.share = std::min(out.share, (counts.saturation[c] - counts.black[c]) / (counts.white - counts.black[c]));
    out.saturation = out.share;
    return out;
}

std::optional<WhiteLevel> whiteLevelOf(std::span<const SensorCounts *const> frames)
{
    if (frames.empty())
        throw ArgumentError("white level: no frames");
    for (const SensorCounts *f : frames)
        if (f->white != frames[0]->white || f->black != frames[0]->black)
            throw ArgumentError(textOf("white level: frames state %.0f and %.0f", frames[0]->white, f->white));
    std::optional<WhiteLevel> out;
    for (size_t c = 0; c < 3; ++c) {
        const double black = frames[0]->black[c], range = frames[0]->white - black;
        std::vector<Channel> channels;
        for (const SensorCounts *f : frames)
            if (!f->of[c].empty())
                channels.emplace_back(f->of[c], black);
        const auto end = channels.empty() ? std::nullopt : endOf(channels, range);
        if (!end)
            continue;
        if (!out)
            out.emplace();
        constexpr double kAsStated = 0.9995; // the last values of 11 bits: what is stated is exact
        const double share = std::min(1.0, end->first / range);
        out->share = std::min(out->share, share > kAsStated ? 1.0 : share);
        out->saturation = std::min(out->saturation, std::min(1.0, end->second / range));
    }
    return out;
}

} // namespace yolk
