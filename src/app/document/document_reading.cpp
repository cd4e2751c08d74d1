// What stands at a place of the picture: under the pointer, and at the pins.
#include "document/document.h"

#include "document/screen_picture.h"
#include "render/views/reading.h"

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr qsizetype kMostPins = 8;

} // namespace

std::optional<Probe> Document::probe(const QPointF &position) const
{
    if (!merged_ || !QRectF(area_).contains(position))
        return std::nullopt;
    const Merged &pixels = merged_->pixels;
    const int x = std::clamp(int(position.x() / merged_->reduction), 0, pixels.radiance.width() - 1);
    const int y = std::clamp(int(position.y() / merged_->reduction), 0, pixels.radiance.height() - 1);
    const Matrix3 white = whiteMatrix(merged_->colour, recipe().white, *measured_);
    const Vector3 rgb = sceneLightAt(*merged_, white, x, y);
    Probe out;
    double luminance = 0.0;
    for (size_t c = 0; c < 3; ++c) {
        out.rgb[c] = float(rgb[c]);
        luminance += double(kLuminance2020[c]) * rgb[c];
    }
    out.ev = evOfLuminance(luminance);
    out.clipped = pixels.clipped.row(0, y)[x] != 0;
    for (int i = 0; i < pixels.shares.planes(); ++i) {
        const double share = pixels.shares.row(i, y)[x] / 255.0;
        const auto frame = std::ranges::find_if(
            bracket_->frames, [&](const BracketFrame &f) { return f.frame->id == merged_->frameIds[size_t(i)]; });
        if (share >= 0.01 && frame != bracket_->frames.end())
            out.shares.emplace_back(frame->number, share);
    }
    std::ranges::sort(out.shares, std::greater<>(), &std::pair<int, double>::second);
    return out;
}

void Document::pointAt(const std::optional<QPointF> &position)
{
    if (!isOpen())
        return;
    pointer_.reset();
    if (position && QRectF(area_).contains(*position))
        pointer_ = Reading{*position, probe(*position), {}};
    read();
    Q_EMIT readingsChanged();
}

void Document::addPin(const QPointF &position)
{
    if (!isOpen() || !QRectF(area_).contains(position))
        return;
    if (pins_.size() == kMostPins)
        return Q_EMIT failed(tr("There are %1 readings already: remove one first.").arg(kMostPins));
    pins_ << Reading{position, probe(position), {}};
    read();
    Q_EMIT readingsChanged();
}

void Document::removePin(int index)
{
    pins_.removeAt(index);
    Q_EMIT readingsChanged();
}

void Document::clearPins()
{
    pins_.clear();
    Q_EMIT readingsChanged();
}

/// Pins stay on what they were set on when another frame becomes the reference.
void Document::movePins(const std::string &reference)
{
    if (!pins_.isEmpty() && pinsOn_ != reference) {
        const Transform move = transformBetween(pinsOn_, reference, sources_, *measured_);
        for (Reading &pin : pins_) {
            const Point to = move({pin.at.x(), pin.at.y()});
            pin.at = {to.x, to.y};
        }
    }
    pinsOn_ = reference;
}

void Document::read()
{
    std::vector<Point> places;
    QList<QPointF> asked;
    for (Reading &pin : pins_) {
        pin.probe = probe(pin.at);
        asked << pin.at;
    }
    if (pointer_)
        asked << pointer_->at;
    if (asked.isEmpty())
        return;
    for (const QPointF &p : asked)
        places.push_back({p.x(), p.y()});
    using Codes = std::vector<QColor>;
    auto work = [sources = sources_, measured = *measured_, settings = recipeOnCanvas(), places,
                 reduction = fullMergeReady() ? 1 : previewReduction(sources_)](ExecContext &ctx) {
        Codes out;
        for (const Vector3 &linear : outputAt(sources, measured, settings, reduction, places, ctx))
            out.push_back(screenColour(linear));
        return out;
    };
    readLane_.start<Codes>({}, work, [this, asked](Outcome<Codes> outcome) {
        if (!outcome.result)
            return;
        const auto take = [&](Reading &reading) {
            if (const qsizetype at = asked.indexOf(reading.at); at >= 0)
                reading.output = (*outcome.result)[size_t(at)];
        };
        std::ranges::for_each(pins_, take);
        if (pointer_)
            take(*pointer_);
        Q_EMIT readingsChanged();
    });
}

} // namespace yolk::app
