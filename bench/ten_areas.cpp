#include "ten_areas.h"

#include <cmath>

namespace yolk::bench {

std::vector<Area> tenAreas(int width, int height)
{
    const auto at = [&](double x, double y) { return Point{x * width, y * height}; };
    const auto gradient = [&](Point from, Point to) {
        return AreaShape{.kind = ShapeKind::Gradient, .places = {from, to}};
    };
    const auto oval = [&](double x, double y, double size) {
        return AreaShape{.kind = ShapeKind::Oval, .places = {at(x, y), at(x + size, y), at(x, y + size)}};
    };
    const auto brush = [&](int count, bool keeps) {
        std::vector<Stroke> strokes;
        for (int i = 0; i < count; ++i) {
            std::vector<Point> points;
            for (int k = 0; k <= 60; ++k)
                points.push_back(
                    at(0.1 + 0.5 * k / 60.0 + 0.004 * (i % 10), 0.2 + 0.012 * i + 0.02 * std::sin(k * 0.3)));
            strokes.push_back({.points = std::move(points), .radius = 0.02 * width});
        }
        return AreaShape{.kind = ShapeKind::Brush, .keepsToEdges = keeps, .strokes = std::move(strokes)};
    };
    const auto area = [](AreaShape shape, AreaAmounts amounts) {
        Area out;
        out.shapes = {std::move(shape)};
        out.amounts = std::move(amounts);
        return out;
    };
    return {area(gradient(at(0.5, 0.1), at(0.6, 0.5)), {{"tone.exposure", -0.8}, {"colour.saturation", 10}}),
            area(gradient(at(0.5, 0.9), at(0.5, 0.6)), {{"tone.shadows", 25}}),
            area(oval(0.3, 0.4, 0.2), {{"tone.exposure", 0.5}, {"tone.contrast", 10}}),
            area(brush(50, true), {{"tone.exposure", 0.6}, {"tone.local_contrast", 20}}),
            area(oval(0.7, 0.6, 0.15), {{"tone.fine_detail", 20}}),
            area({.kind = ShapeKind::Stops, .low = 1.0, .high = 6.0}, {{"tone.highlights", -30}}),
            area({.kind = ShapeKind::Hue, .hue = 140.0}, {{"colour.saturation", -20}, {"hue.turn", 5}}),
            area(brush(5, false), {{"white.temperature", 15}, {"white.tint", 4}}),
            area(oval(0.5, 0.5, 0.5), {{"tone.whites", 10}}),
            area({}, {{"colour.vibrance", 10}})};
}

} // namespace yolk::bench
