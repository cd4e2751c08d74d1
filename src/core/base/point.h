// A place in a picture, and lists of places that never change.
#pragma once

#include "base/hash.h"

#include <initializer_list>
#include <memory>
#include <vector>

namespace yolk {

struct Point {
    double x = 0.0, y = 0.0;
    bool operator==(const Point &) const = default;
};

/// Points of a stroke, an outline or a curve, as a value: copies share them, and their hash is found once. So a recipe
/// of many strokes is copied, compared and hashed at no cost.
class PointList {
public:
    PointList() = default;
    PointList(std::vector<Point> points); ///< implicit: a list is its points
    PointList(std::initializer_list<Point> points) : PointList(std::vector<Point>(points)) {}

    size_t size() const { return shared_ ? shared_->points.size() : 0; }
    bool empty() const { return size() == 0; }
    const Point *begin() const { return shared_ ? shared_->points.data() : nullptr; }
    const Point *end() const { return begin() + size(); }
    const Point &operator[](size_t i) const { return begin()[i]; }
    Hash128 hash() const { return shared_ ? shared_->hash : Hash128(); } ///< all zeros of an empty list
    bool sharesWith(const PointList &other) const { return shared_ == other.shared_; }
    friend bool operator==(const PointList &a, const PointList &b)
    {
        return a.shared_ == b.shared_ || (a.size() == b.size() && a.hash() == b.hash());
    }

private:
    struct Shared {
        std::vector<Point> points;
        Hash128 hash;
    };
    std::shared_ptr<const Shared> shared_; ///< null: no points
};

} // namespace yolk
