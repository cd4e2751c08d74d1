#include "image/mat_p.h"
#include "movement/places_p.h"

#include <opencv2/imgproc.hpp>

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

constexpr float kMoved = 1.0f, kPerhaps = 0.6f;
constexpr int kFewestCells = 10;  // that surely moved, of a place: errors of coding make up fewer
constexpr double kJoined = 0.006; // of the width: parts nearer than that are one thing
constexpr int kMargin = 3;        // cells around what was seen to move
constexpr int kWide = 3;          // radius of a disc of cells that must fit into a thing
constexpr double kHangs = 0.02;   // of the width: how long what hangs on a thing may be
constexpr double kUnseen = 0.03;  // of the width: how far a place may reach where nobody can tell

cv::Mat disc(int radius)
{
    return cv::getStructuringElement(cv::MORPH_ELLIPSE, {2 * radius + 1, 2 * radius + 1});
}

/// Regions of what perhaps moved that hold enough of what surely did.
cv::Mat movedCells(const Image<float> &disagreement)
{
    const int width = disagreement.width(), height = disagreement.height();
    cv::Mat perhaps(height, width, CV_8U), labels;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            perhaps.at<uint8_t>(y, x) = disagreement.row(0, y)[x] > kPerhaps ? 1 : 0;
    const int count = cv::connectedComponents(perhaps, labels, 8, CV_32S);
    std::vector<int> sure(static_cast<size_t>(count), 0);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            sure[size_t(labels.at<int>(y, x))] += disagreement.row(0, y)[x] > kMoved;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const int label = labels.at<int>(y, x);
            perhaps.at<uint8_t>(y, x) = label > 0 && sure[size_t(label)] >= kFewestCells ? 1 : 0;
        }
    return perhaps;
}

/// `core` with the cells of `moved` that can be reached from it through others of them, up to `share` of the width
/// away.
cv::Mat withWhatHangs(const cv::Mat &core, const cv::Mat &moved, double share)
{
    cv::Mat out = core.clone(), grown;
    const int rounds = std::max(1, int(std::lround(share * moved.cols)));
    for (int i = 0; i < rounds; ++i) {
        cv::dilate(out, grown, cv::Mat::ones(3, 3, CV_8U));
        out = (grown & moved) | core;
    }
    return out;
}

cv::Mat wideCells(const cv::Mat &moved)
{
    cv::Mat out;
    cv::morphologyEx(moved, out, cv::MORPH_OPEN, disc(kWide));
    return out;
}

/// What is wide, with what hangs on it and is not long: legs and tails, but not the edges of a whole wall.
cv::Mat wideParts(const cv::Mat &moved)
{
    return withWhatHangs(wideCells(moved), moved, kHangs);
}

/// The connected parts of `all` that hold something of `seeds`.
cv::Mat partsWith(const cv::Mat &seeds, const cv::Mat &all)
{
    cv::Mat labels, out = cv::Mat::zeros(all.size(), CV_8U);
    std::vector<uint8_t> holds(size_t(cv::connectedComponents(all, labels, 8, CV_32S)), 0);
    for (int y = 0; y < all.rows; ++y)
        for (int x = 0; x < all.cols; ++x)
            if (seeds.at<uint8_t>(y, x))
                holds[size_t(labels.at<int>(y, x))] = 1;
    holds[0] = 0;
    for (int y = 0; y < all.rows; ++y)
        for (int x = 0; x < all.cols; ++x)
            out.at<uint8_t>(y, x) = holds[size_t(labels.at<int>(y, x))];
    return out;
}

/// Only parts of kLeastThing and more stay.
void dropSmall(cv::Mat &parts)
{
    cv::Mat labels, stats, middles;
    const int count = cv::connectedComponentsWithStats(parts, labels, stats, middles, 8, CV_32S);
    for (int i = 1; i < count; ++i)
        if (stats.at<int>(i, cv::CC_STAT_AREA) < kLeastThing * parts.cols * parts.rows)
            parts.setTo(0, labels == i);
}

/// Parts that lie near each other become one, and so does what they enclose unless that is larger than they are.
void closeToWholes(cv::Mat &core)
{
    const int width = core.cols, height = core.rows;
    // A border of nothing, so that closing does not stick to the rim.
    const int radius = std::max(2, int(std::lround(kJoined * width)));
    cv::Mat wide;
    cv::copyMakeBorder(core, wide, radius, radius, radius, radius, cv::BORDER_CONSTANT, cv::Scalar(0));
    cv::morphologyEx(wide, wide, cv::MORPH_CLOSE, disc(radius));
    wide(cv::Rect(radius, radius, width, height)).copyTo(core);
    cv::Mat outside = core == 0, holes, stats, middles;
    const int areas = cv::connectedComponentsWithStats(outside, holes, stats, middles, 4, CV_32S);
    const int moved = cv::countNonZero(core);
    for (int i = 1; i < areas; ++i) {
        const cv::Rect box(stats.at<int>(i, cv::CC_STAT_LEFT), stats.at<int>(i, cv::CC_STAT_TOP),
                           stats.at<int>(i, cv::CC_STAT_WIDTH), stats.at<int>(i, cv::CC_STAT_HEIGHT));
        const bool atRim = box.x == 0 || box.y == 0 || box.br().x == width || box.br().y == height;
        if (!atRim && stats.at<int>(i, cv::CC_STAT_AREA) < moved)
            core(box).setTo(1, holes(box) == i);
    }
}

/// Lets places reach on through cells of `unseen`, where nobody can tell, until frames agree or some way on. These are
/// no core: nothing is decided by them.
void reachInto(const Image<uint8_t> &unseen, Image<uint16_t> &of)
{
    const int width = of.width(), height = of.height();
    const int rounds = std::max(1, int(std::lround(kUnseen * width)));
    // From all rims at once, a cell farther each round: whoever comes first has it.
    std::vector<cv::Point> rim, next;
    const auto step = [&](const cv::Point &from) {
        for (int y = std::max(0, from.y - 1); y <= std::min(height - 1, from.y + 1); ++y)
            for (int x = std::max(0, from.x - 1); x <= std::min(width - 1, from.x + 1); ++x)
                if (unseen.row(0, y)[x] && !of.row(0, y)[x]) {
                    of.row(0, y)[x] = of.row(0, from.y)[from.x];
                    next.emplace_back(x, y);
                }
    };
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            if (of.row(0, y)[x])
                rim.emplace_back(x, y);
    for (int i = 0; i < rounds && !rim.empty(); ++i) {
        std::ranges::for_each(rim, step);
        rim.swap(next);
        next.clear();
    }
}

/// Soft where a place borders on what frames agree about, and full elsewhere: a bright frame counts for so much that a
/// little trust in it is too much.
void findWeight(const Image<uint8_t> &unseen, Places &places)
{
    const cv::Mat of = matOf(places.of) > 0;
    cv::Mat weight = matOf(places.weight), full;
    cv::morphologyEx(of | (matOf(unseen) > 0), full, cv::MORPH_CLOSE, disc(kMargin)); // between two is no rim
    cv::erode(full, full, disc(kMargin - 1));
    cv::blur(full / 255 * kFullWeight, weight, {3, 3});
    weight.setTo(0, of == 0);
}

/// Places around what is wide and what is narrow.
Places placesAround(const cv::Mat &wide, const cv::Mat &moved, const Image<uint8_t> &unseen)
{
    const int width = moved.cols, height = moved.rows;
    Places out{Image<uint8_t>(width, height, 1), Image<uint16_t>(width, height, 1), Image<uint8_t>(width, height, 1), 0,
               0};
    cv::Mat core = matOf(out.core);
    if (cv::countNonZero(moved) == 0)
        return out;
    wide.copyTo(core);
    closeToWholes(core);
    cv::Mat grown, labels;
    cv::dilate(core, grown, disc(kMargin + 1));
    // Narrow ones keep out of the wide ones, which would else grow together along them.
    const cv::Mat narrow = moved & (grown == 0);
    cv::Mat grownNarrow, narrowLabels;
    cv::dilate(narrow, grownNarrow, disc(kMargin + 1));
    grownNarrow.setTo(0, grown);
    out.wide = std::min(kMostPlaces, cv::connectedComponents(grown, labels, 8, CV_32S) - 1);
    out.count = std::min(kMostPlaces, out.wide + cv::connectedComponents(grownNarrow, narrowLabels, 8, CV_32S) - 1);
    core |= narrow;
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const int more = narrowLabels.at<int>(y, x);
            const int label = more > 0 ? out.wide + more : labels.at<int>(y, x);
            out.of.row(0, y)[x] = uint16_t(label <= out.count ? label : 0);
        }
    reachInto(unseen, out.of);
    findWeight(unseen, out);
    return out;
}

} // namespace

Image<uint8_t> wideMovement(const Image<float> &disagreement, double margin)
{
    Image<uint8_t> out(disagreement.width(), disagreement.height(), 1);
    cv::Mat core = matOf(out);
    wideParts(movedCells(disagreement)).copyTo(core);
    closeToWholes(core);
    dropSmall(core);
    cv::dilate(core, core, disc(std::max(1, int(std::lround(margin * core.cols)))));
    return out;
}

Places placesIn(const Image<float> &disagreement, const Image<uint8_t> &unseen)
{
    const cv::Mat moved = movedCells(disagreement);
    return placesAround(wideParts(moved), moved, unseen);
}

Places placesIn(const Image<float> &loose, const Image<float> &close, const Image<uint8_t> &unseen)
{
    cv::Mat seeds = wideParts(movedCells(loose));
    dropSmall(seeds);
    // What is wide under a close fit belongs to the thing as a whole: shadows differ too softly for a loose one.
    const cv::Mat moved = movedCells(close);
    const cv::Mat things = withWhatHangs(partsWith(seeds, wideCells(moved) | seeds), moved, 2.0 * kHangs);
    return placesAround(things, things, unseen);
}

Image<uint8_t> drawnCells(const DrawnRegion &region, int cell, int width, int height)
{
    constexpr int kShift = 4; // bits behind the point in OpenCV's coordinates
    constexpr double kFarthest = 1e6;
    Image<uint8_t> out(width, height, 1);
    cv::Mat mat = matOf(out);
    std::vector<cv::Point> points;
    for (const Point &p : region.points) { // pixel centres at +0.5, OpenCV's at whole numbers
        const auto fixed = [&](double v) {
            return int(std::lround(std::clamp(v / cell - 0.5, -kFarthest, kFarthest) * (1 << kShift)));
        };
        points.emplace_back(fixed(p.x), fixed(p.y));
    }
    if (points.empty())
        return out;
    if (region.radius <= 0.0) {
        cv::fillPoly(mat, std::vector<std::vector<cv::Point>>{points}, cv::Scalar(1), cv::LINE_8, kShift);
        return out;
    }
    const double radius = std::min(region.radius / cell, double(std::max(width, height)));
    const int thickness = std::max(1, int(std::lround(2.0 * radius)));
    for (const cv::Point &p : points) // round ends and joints
        cv::circle(mat, p, int(std::lround(radius * (1 << kShift))), cv::Scalar(1), cv::FILLED, cv::LINE_8, kShift);
    for (size_t i = 0; i + 1 < points.size(); ++i)
        cv::line(mat, points[i], points[i + 1], cv::Scalar(1), std::min(thickness, 32767), cv::LINE_8, kShift);
    return out;
}

std::vector<Point> outlineOf(const Movement &movement, size_t place)
{
    const int width = movement.cells.width(), height = movement.cells.height();
    cv::Mat mask = cv::Mat::zeros(height + 2, width + 2, CV_8U); // a rim, so that outlines at the edge close
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            mask.at<uint8_t>(y + 1, x + 1) = movement.cells.row(0, y)[x] == place + 1;
    std::vector<std::vector<cv::Point>> lines;
    cv::findContours(mask, lines, cv::RETR_EXTERNAL, cv::CHAIN_APPROX_NONE);
    if (lines.empty())
        return {};
    const auto largest = std::ranges::max_element(lines, {}, [](const auto &line) { return cv::contourArea(line); });
    std::vector<cv::Point> few;
    cv::approxPolyDP(*largest, few, 1.0, true);
    std::vector<Point> out;
    for (const cv::Point &p : few)
        out.push_back({(p.x - 0.5) * movement.cell, (p.y - 0.5) * movement.cell});
    if (out.size() > kMostPoints)
        out.resize(kMostPoints);
    return out;
}

void addPlace(const Image<uint8_t> &drawn, Places &places)
{
    ++places.count;
    cv::Mat soft;
    cv::blur(matOf(drawn) * kFullWeight, soft, {3, 3});
    for (int y = 0; y < drawn.height(); ++y)
        for (int x = 0; x < drawn.width(); ++x) {
            const bool here = drawn.row(0, y)[x] != 0, rim = soft.at<uint8_t>(y, x) > 0 && !places.of.row(0, y)[x];
            places.core.row(0, y)[x] = here ? 1 : places.core.row(0, y)[x];
            if (!here && !rim)
                continue;
            places.of.row(0, y)[x] = uint16_t(places.count);
            places.weight.row(0, y)[x] = here ? uint8_t(kFullWeight) : soft.at<uint8_t>(y, x);
        }
}

} // namespace yolk
