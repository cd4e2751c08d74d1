#include "tone/step_table.h"

#include "base/vectorise.h"

#include <algorithm>
#include <cstring>

namespace yolk {
namespace {

/// In pieces, and both ends of a step with one read: half the time of gathering them.
YOLK_MULTIVERSION
void lookUpRow(const float *table, StepTable::Steps steps, const float *stops, float shift, int count, float *out)
{
    constexpr int kPiece = 64;
    int places[kPiece];
    float parts[kPiece], ends[2 * kPiece];
    const float last = float(steps.count - 1) * 0.9999999f; // just short of the end: there is a step behind it
    for (int x = 0; x < count; x += kPiece) {
        const int size = std::min(kPiece, count - x);
        for (int i = 0; i < size; ++i) {
            float at = (stops[x + i] + shift - steps.first) * steps.perStop;
            at = at > 0.0f ? at : 0.0f; // NaN falls to the first
            at = at < last ? at : last;
            places[i] = int(at);
            parts[i] = at - float(places[i]);
        }
        for (int i = 0; i < size; ++i)
            std::memcpy(ends + 2 * i, table + places[i], 2 * sizeof(float));
        for (int i = 0; i < size; ++i)
            out[x + i] = ends[2 * i] + parts[i] * (ends[2 * i + 1] - ends[2 * i]);
    }
}

} // namespace

void StepTable::lookUp(std::span<const float> stops, float shift, float *out) const
{
    lookUpRow(values_.data(), steps_, stops.data(), shift, int(stops.size()), out);
}

void StepTable::lookUpBetween(std::span<const StepTable> tables, const float *place, std::span<const float> stops,
                              float *out)
{
    const Steps &steps = tables[0].steps_;
    const float last = float(steps.count - 1) * 0.9999999f;
    for (size_t x = 0; x < stops.size(); ++x) {
        const size_t first = std::min(size_t(place[x]), tables.size() - 2);
        float at = (stops[x] - steps.first) * steps.perStop;
        at = at > 0.0f ? at : 0.0f;
        at = at < last ? at : last;
        const size_t i = size_t(at);
        const float part = at - float(i);
        const float *a = tables[first].values_.data() + i, *b = tables[first + 1].values_.data() + i;
        const float from = a[0] + part * (a[1] - a[0]), to = b[0] + part * (b[1] - b[0]);
        out[x] = from + (place[x] - float(first)) * (to - from);
    }
}

} // namespace yolk
