#include "frames/grouping.h"

#include "frames/exposure.h"
#include "io/codec.h"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <ctime>
#include <filesystem>
#include <limits>
#include <numeric>

namespace yolk {
namespace {

constexpr size_t kLargestSet = 15;
constexpr double kImpossible = 1e6;

bool isDigit(char c)
{
    return c >= '0' && c <= '9';
}

/// "frame_9" before "frame_10".
bool namesInOrder(const std::string &a, const std::string &b)
{
    size_t i = 0, j = 0;
    while (i < a.size() && j < b.size()) {
        if (isDigit(a[i]) && isDigit(b[j])) {
            const auto number = [](const std::string &s, size_t &at) {
                while (at < s.size() && s[at] == '0')
                    ++at;
                const size_t first = at;
                while (at < s.size() && isDigit(s[at]))
                    ++at;
                return s.substr(first, at - first);
            };
            const std::string left = number(a, i), right = number(b, j);
            if (left.size() != right.size())
                return left.size() < right.size();
            if (left != right)
                return left < right;
        } else {
            if (a[i] != b[j])
                return a[i] < b[j];
            ++i;
            ++j;
        }
    }
    return a.size() - i < b.size() - j;
}

/// A pause counts from the end of one exposure to the begin of the next. Dates know whole seconds only.
double costOfPause(const FrameFacts &a, const FrameFacts &b)
{
    if (!a.time || !b.time)
        return 0.0;
    const double pause = *b.time - *a.time - a.seconds.value_or(0.0);
    constexpr double kBurst = 2.0, kNever = 600.0; // seconds
    if (pause <= kBurst)
        return 0.0;
    return pause > kNever ? kImpossible : 0.9 * std::log2(pause / kBurst);
}

bool sameExposure(const FrameFacts &a, const FrameFacts &b)
{
    return a.exposure && b.exposure && std::abs(std::log2(*a.exposure / *b.exposure)) < 0.1;
}

bool sameAperture(const FrameFacts &a, const FrameFacts &b)
{
    return !a.fNumber || !b.fNumber || std::abs(*a.fNumber / *b.fNumber - 1.0) < 0.02;
}

/// How many frames have another aperture than most: a slip of the hand within a set, or several sets.
size_t strayApertures(std::span<const FrameFacts *const> set)
{
    size_t most = 0;
    for (const FrameFacts *f : set)
        most = std::max(most, size_t(std::ranges::count_if(set, [&](const auto *g) { return sameAperture(*f, *g); })));
    return set.size() - most;
}

/// Of a set, without what it shares with its neighbours.
double costOfSet(std::span<const FrameFacts *const> set)
{
    constexpr double kStrayAperture = 2.5;
    double cost = 2.0 + (set.size() == 1 ? 2.0 : set.size() == 2 ? 1.0 : 0.0);
    cost += kStrayAperture * double(strayApertures(set));
    const FrameFacts *darkest = set[0];
    for (const FrameFacts *f : set)
        if (f->exposure && (!darkest->exposure || *f->exposure < *darkest->exposure))
            darkest = f;
    for (size_t i = 0; i < set.size(); ++i) {
        if (set[i]->width != set[0]->width || set[i]->height != set[0]->height || set[i]->camera != set[0]->camera)
            return kImpossible;
        if (i == 0)
            continue;
        cost += costOfPause(*set[i - 1], *set[i]);
        for (size_t k = 0; k < i; ++k)
            if (sameExposure(*set[i], *set[k])) {
                // At the shutter's limit the last steps of a series come out alike.
                constexpr double kFast = 1.0 / 1000.0;
                const bool atLimit =
                    sameExposure(*set[i], *darkest) && set[i]->seconds.value_or(1.0) <= kFast && i >= 3;
                cost += atLimit ? 0.5 : 4.0;
                break;
            }
    }
    return cost;
}

bool samePattern(std::span<const FrameFacts *const> a, std::span<const FrameFacts *const> b)
{
    if (a.size() != b.size() || a.size() < 2)
        return false;
    for (size_t i = 1; i < a.size(); ++i) {
        if (!a[0]->exposure || !a[i]->exposure || !b[0]->exposure || !b[i]->exposure)
            return false;
        const double left = std::log2(*a[i]->exposure / *a[0]->exposure),
                     right = std::log2(*b[i]->exposure / *b[0]->exposure);
        if (std::abs(left - right) > 0.15)
            return false;
    }
    return true;
}

} // namespace

FrameFacts factsOf(const std::string &path)
{
    const PictureInfo info = codecOf(path).readInfo(path);
    Metadata metadata = readMetadata(path);
    complete(metadata, info.library);
    FrameFacts out;
    out.name = std::filesystem::path(path).filename().string();
    out.time = secondsOfDate(metadata.dateTime);
    out.seconds = metadata.exposureSeconds;
    out.fNumber = metadata.fNumber;
    if (metadata.exposureSeconds)
        out.exposure =
            relativeExposure(*metadata.exposureSeconds, metadata.fNumber.value_or(8.0), metadata.iso.value_or(100.0));
    out.width = info.width;
    out.height = info.height;
    out.camera = metadata.camera;
    return out;
}

std::optional<double> secondsOfDate(const std::string &dateTime)
{
    std::tm date{};
    double seconds = 0.0;
    if (std::sscanf(dateTime.c_str(), "%4d:%2d:%2d %2d:%2d:%lf", &date.tm_year, &date.tm_mon, &date.tm_mday,
                    &date.tm_hour, &date.tm_min, &seconds) != 6)
        return std::nullopt;
    if (date.tm_year < 1900 || date.tm_mon < 1 || date.tm_mon > 12 || date.tm_mday < 1 || date.tm_mday > 31 ||
        !(seconds >= 0.0 && seconds < 62.0))
        return std::nullopt;
    date.tm_year -= 1900;
    date.tm_mon -= 1;
    return double(timegm(&date)) + seconds; // the camera's own clock, whatever its zone
}

std::vector<std::vector<size_t>> groupFrames(std::span<const FrameFacts> frames)
{
    std::vector<size_t> order(frames.size());
    std::iota(order.begin(), order.end(), size_t(0));
    const bool timed = std::ranges::all_of(frames, [](const FrameFacts &f) { return f.time.has_value(); });
    std::ranges::stable_sort(order, [&](size_t a, size_t b) {
        if (timed && *frames[a].time != *frames[b].time)
            return *frames[a].time < *frames[b].time;
        return namesInOrder(frames[a].name, frames[b].name);
    });
    std::vector<const FrameFacts *> sequence;
    for (size_t i : order)
        sequence.push_back(&frames[i]);
    const size_t n = sequence.size();
    const auto part = [&](size_t first, size_t count) {
        return std::span<const FrameFacts *const>(sequence).subspan(first, count);
    };

    // cheapest[end][count]: the best split of the first `end` frames whose last set has `count` of them.
    struct Best {
        double cost = std::numeric_limits<double>::infinity();
        size_t countBefore = 0;
    };
    std::vector<std::vector<Best>> cheapest(n + 1, std::vector<Best>(kLargestSet + 1));
    cheapest[0][0] = {0.0, 0};
    constexpr double kSamePattern = 1.5; // a photographer keeps to one series
    for (size_t end = 1; end <= n; ++end)
        for (size_t count = 1; count <= std::min(end, kLargestSet); ++count) {
            const size_t first = end - count;
            const double own = costOfSet(part(first, count));
            for (size_t before = 0; before <= std::min(first, kLargestSet); ++before) {
                const double so = cheapest[first][before].cost;
                const bool alike = before > 0 && samePattern(part(first - before, before), part(first, count));
                const double cost = so + own - (alike ? kSamePattern : 0.0);
                if (cost < cheapest[end][count].cost)
                    cheapest[end][count] = {cost, before};
            }
        }

    std::vector<std::vector<size_t>> out;
    size_t end = n;
    size_t count = 0;
    for (size_t c = 1; c <= std::min(n, kLargestSet); ++c)
        if (count == 0 || cheapest[n][c].cost < cheapest[n][count].cost)
            count = c;
    while (end > 0) {
        out.emplace_back(order.begin() + ptrdiff_t(end - count), order.begin() + ptrdiff_t(end));
        const size_t before = cheapest[end][count].countBefore;
        end -= count;
        count = before;
    }
    std::ranges::reverse(out);
    return out;
}

} // namespace yolk
