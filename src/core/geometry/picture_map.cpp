#include "geometry/picture_map.h"

#include "base/errors.h"

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>

namespace yolk {
namespace {

constexpr int kEdgeSteps = 24; // places along a side: what lies between them is as good as straight

Matrix3 turnAbout(double degrees, int first, int second)
{
    const double a = degrees * std::numbers::pi / 180.0;
    Matrix3 out;
    const auto at = [&](int row, int column) -> double & { return out.m[size_t(3 * row + column)]; };
    at(first, first) = at(second, second) = std::cos(a);
    at(first, second) = -std::sin(a);
    at(second, first) = std::sin(a);
    return out;
}

Point mapped(const Matrix3 &m, Point p)
{
    const double w = m(2, 0) * p.x + m(2, 1) * p.y + m(2, 2);
    if (!(w > 1e-6)) // behind the camera
        return {std::numeric_limits<double>::quiet_NaN(), std::numeric_limits<double>::quiet_NaN()};
    return {(m(0, 0) * p.x + m(0, 1) * p.y + m(0, 2)) / w, (m(1, 0) * p.x + m(1, 1) * p.y + m(1, 2)) / w};
}

/// The sign of a quarter turn as cosine and sine; exact.
std::array<int, 2> cosineAndSine(QuarterTurn turn)
{
    switch (turn) {
    case QuarterTurn::Right:
        return {0, 1};
    case QuarterTurn::Half:
        return {-1, 0};
    case QuarterTurn::Left:
        return {0, -1};
    case QuarterTurn::None:
        break;
    }
    return {1, 0};
}

template <class Visit> void forEachOnEdge(const RealRect &area, Visit &&visit)
{
    for (int i = 0; i <= kEdgeSteps; ++i) {
        const double t = double(i) / kEdgeSteps;
        const double x = area.x0 + t * (area.x1 - area.x0), y = area.y0 + t * (area.y1 - area.y0);
        visit(Point{x, area.y0});
        visit(Point{x, area.y1});
        visit(Point{area.x0, y});
        visit(Point{area.x1, y});
    }
}

} // namespace

PictureMap::PictureMap(const GeometrySettings &s, int width, int height, const Optics &optics)
    : width_(width), height_(height), lens_(optics.distortion)
{
    if (width < 1 || height < 1 || !(optics.focal > 0.0 && optics.focal < 1e3))
        throw ArgumentError("a picture needs a size and a focal length");
    const bool turned = s.turn == QuarterTurn::Right || s.turn == QuarterTurn::Left;
    planeWidth_ = turned ? height : width;
    planeHeight_ = turned ? width : height;
    lens_.terms[2] += s.distortion / 100.0;
    straight_ = lens_.isZero();
    bendX_ = s.bendAcross / 100.0;
    bendY_ = s.bendDown / 100.0;
    cornerSquared_ = 0.25 * (double(width) * width + double(height) * height);
    const double f = optics.focal * std::max(width, height), part = s.strength / 100.0;
    const Matrix3 camera{{f, 0, 0, 0, f, 0, 0, 0, 1}}, back{{1 / f, 0, 0, 0, 1 / f, 0, 0, 0, 1}};
    // Seen from the plane: what was turned is turned back, then the camera looks where it looked.
    const auto [cosine, sine] = cosineAndSine(s.turn);
    const double mirror = s.flip ? -1.0 : 1.0;
    const Matrix3 upright{{mirror * cosine, double(sine), 0, -mirror * sine, double(cosine), 0, 0, 0, 1}};
    const Matrix3 turn = turnAbout(-s.angle, 0, 1);
    const Matrix3 look = turnAbout(-s.tilt * part, 1, 2) * turnAbout(-s.swing * part, 2, 0);
    toFrame_ = upright * camera * look * back * turn;
    // In units in which all numbers are alike.
    toPlane_ = camera * inverse(back * toFrame_ * camera) * back;
    const double last = toPlane_(2, 2);
    for (double &m : toPlane_.m)
        m /= last;
    const Point middle = mapped(toPlane_, {0.0, 0.0}); // of the frame: it stays where it is
    toFrame_ = toFrame_ * Matrix3{{1, 0, middle.x, 0, 1, middle.y, 0, 0, 1}};
    toPlane_ = Matrix3{{1, 0, -middle.x, 0, 1, -middle.y, 0, 0, 1}} * toPlane_;
    identity_ = s.angle == 0.0 && s.turn == QuarterTurn::None && !s.flip && s.tilt * part == 0.0 &&
                s.swing * part == 0.0 && straight_ && bendX_ == 0.0 && bendY_ == 0.0;
}

/// In halves of the plane's sides: what lies at the edge above and beside moves by the whole share.
Point PictureMap::bent(Point p) const
{
    if (bendX_ == 0.0 && bendY_ == 0.0)
        return p;
    const double u = 2.0 * p.x / planeWidth_, v = 2.0 * p.y / planeHeight_;
    return {p.x * (1.0 + bendX_ * v * v), p.y * (1.0 + bendY_ * u * u)};
}

Point PictureMap::unbent(Point p) const
{
    if (bendX_ == 0.0 && bendY_ == 0.0)
        return p;
    const double w = 0.5 * planeWidth_, h = 0.5 * planeHeight_, wantedU = p.x / w, wantedV = p.y / h;
    double u = wantedU, v = wantedV;
    for (int i = 0; i < 30; ++i) { // Newton's method
        const double a = 1.0 + bendX_ * v * v, b = 1.0 + bendY_ * u * u;
        const double errorU = u * a - wantedU, errorV = v * b - wantedV;
        const double c = 2.0 * bendX_ * u * v, d = 2.0 * bendY_ * u * v, whole = a * b - c * d;
        if (!(whole > 0.05)) // beyond the fold
            return {std::numeric_limits<double>::quiet_NaN(), std::numeric_limits<double>::quiet_NaN()};
        u -= (b * errorU - c * errorV) / whole;
        v -= (a * errorV - d * errorU) / whole;
        if (std::abs(errorU) + std::abs(errorV) < 1e-14)
            break;
    }
    return {u * w, v * h};
}

Point PictureMap::distorted(Point p) const
{
    if (straight_)
        return p;
    const double grown = 1.0 + lens_.at(std::sqrt((p.x * p.x + p.y * p.y) / cornerSquared_));
    return {p.x * grown, p.y * grown};
}

Point PictureMap::undistorted(Point p) const
{
    if (straight_)
        return p;
    const double wanted = std::sqrt((p.x * p.x + p.y * p.y) / cornerSquared_);
    if (!(wanted > 0.0))
        return p;
    double r = wanted; // r (1 + lens(r)) = wanted
    for (int i = 0; i < 12; ++i) {
        const double slope = 1.0 + lens_.at(r) + r * lens_.slopeAt(r);
        if (!(slope > 0.05)) // beyond the fold of a strong lens
            return {std::numeric_limits<double>::quiet_NaN(), std::numeric_limits<double>::quiet_NaN()};
        r -= (r * (1.0 + lens_.at(r)) - wanted) / slope;
    }
    return {p.x * r / wanted, p.y * r / wanted};
}

Point PictureMap::toReference(Point p) const
{
    if (identity_)
        return p;
    const Point q = distorted(mapped(toFrame_, bent({p.x - 0.5 * planeWidth_, p.y - 0.5 * planeHeight_})));
    return {q.x + 0.5 * width_, q.y + 0.5 * height_};
}

Point PictureMap::toPicture(Point p) const
{
    if (identity_)
        return p;
    const Point q = unbent(mapped(toPlane_, undistorted({p.x - 0.5 * width_, p.y - 0.5 * height_})));
    return {q.x + 0.5 * planeWidth_, q.y + 0.5 * planeHeight_};
}

double PictureMap::scaleAt(Point p) const
{
    if (identity_)
        return 1.0;
    const Point a = toReference({p.x - 0.5, p.y}), b = toReference({p.x + 0.5, p.y});
    const Point c = toReference({p.x, p.y - 0.5}), d = toReference({p.x, p.y + 0.5});
    return std::max(std::hypot(b.x - a.x, b.y - a.y), std::hypot(d.x - c.x, d.y - c.y));
}

RealRect PictureMap::referenceBounds(const RealRect &picture) const
{
    if (identity_)
        return picture;
    constexpr double kFar = std::numeric_limits<double>::infinity();
    RealRect out{kFar, kFar, -kFar, -kFar};
    forEachOnEdge(picture, [&](Point p) {
        const Point q = toReference(p);
        if (!(std::isfinite(q.x) && std::isfinite(q.y)))
            return;
        out = {std::min(out.x0, q.x), std::min(out.y0, q.y), std::max(out.x1, q.x), std::max(out.y1, q.y)};
    });
    return out;
}

bool PictureMap::isCovered(const RealRect &picture, const RealRect &frame) const
{
    constexpr double kRounding = 1e-6; // pixels
    bool all = true;
    forEachOnEdge(picture, [&](Point p) {
        const Point q = toReference(p);
        all = all && q.x >= frame.x0 - kRounding && q.x <= frame.x1 + kRounding && q.y >= frame.y0 - kRounding &&
              q.y <= frame.y1 + kRounding;
    });
    return all;
}

RealRect PictureMap::covered(const RealRect &wanted, const RealRect &frame) const
{
    if (isCovered(wanted, frame))
        return wanted;
    const Point middle{0.5 * (wanted.x0 + wanted.x1), 0.5 * (wanted.y0 + wanted.y1)};
    const Point plane{0.5 * planeWidth_, 0.5 * planeHeight_};
    const auto about = [&](double share, double size) { // of the way to the plane's middle
        const Point at{middle.x + share * (plane.x - middle.x), middle.y + share * (plane.y - middle.y)};
        const double w = 0.5 * size * (wanted.x1 - wanted.x0), h = 0.5 * size * (wanted.y1 - wanted.y0);
        return RealRect{at.x - w, at.y - h, at.x + w, at.y + h};
    };
    const auto largest = [](const auto &holds) { // of 0 .. 1, where small ones hold
        double low = 0.0, high = 1.0;
        for (int i = 0; i < 40; ++i) {
            const double at = 0.5 * (low + high);
            (holds(at) ? low : high) = at;
        }
        return low;
    };
    constexpr double kSpeck = 1e-3;
    const double share = isCovered(about(0.0, kSpeck), frame)
                             ? 0.0
                             : 1.0 - largest([&](double s) { return isCovered(about(1.0 - s, kSpeck), frame); });
    return about(share, largest([&](double size) { return isCovered(about(share, size), frame); }));
}

} // namespace yolk
