// Settings that act in part: what was drawn, at some percent of its way from what changes nothing.
#pragma once

#include "base/fields.h"

#include <algorithm>
#include <vector>

namespace yolk {

template <class Field> constexpr bool kIsPoints = false;
template <class S> constexpr bool kIsPoints<PointsField<S>> = true;
template <class Field> constexpr bool kIsMarks = false; ///< areas are none: they have strengths of their own
template <class S, class Item, class Table>
constexpr bool kIsMarks<ListField<S, Item, Table, std::vector<Item>>> = true;

/// Rows of a curve's points, or of a list of marks.
template <class Field>
concept IsDrawn = kIsPoints<std::remove_cvref_t<Field>> || kIsMarks<std::remove_cvref_t<Field>>;

template <class S> PointList scaled(const PointsField<S> &field, const PointList &points, double percent)
{
    std::vector<Point> out(points.begin(), points.end());
    for (Point &p : out)
        p.y = std::clamp(p.x + (p.y - p.x) * percent / 100.0, field.low.y, field.high.y);
    return out;
}

/// Numbers that go either way from 0 are amounts; where a mark stands and how wide it is, is not.
template <class S, class Item, class Table>
std::vector<Item> scaled(const ListField<S, Item, Table, std::vector<Item>> &field, std::vector<Item> items,
                         double percent)
{
    for (Item &item : items)
        forEachField(*field.items, [&](const auto &part) {
            if constexpr (IsReal<std::remove_cvref_t<decltype(part)>>) {
                const bool isAmount = part.neutral == 0.0 && part.minimum < 0.0;
                if (isAmount)
                    item.*part.member = std::clamp(item.*part.member * percent / 100.0, part.minimum, part.maximum);
            }
        });
    return items;
}

} // namespace yolk
