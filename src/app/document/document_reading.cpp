// What stands at a place of the picture: under the pointer, and at the pins.
#include "document/document.h"

#include "colour/oklab.h"
#include "colour/transfer.h"
#include "document/screen_picture.h"
#include "render/views/reading.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace yolk::app {
namespace {

constexpr qsizetype kMostPins = 8;

} // namespace

std::optional<Probe> Document::probe(const QPointF &position) const
{
    if (!merged_ || !shows(position))
        return std::nullopt;
    const Merged &pixels = merged_->pixels;
    const int x = std::clamp(int(position.x() / merged_->reduction), 0, pixels.radiance.width() - 1);
    const int y = std::clamp(int(position.y() / merged_->reduction), 0, pixels.radiance.height() - 1);
    const Recipe settings = inForce(recipe(), *measured_);
    const Matrix3 white = balancedMatrix(merged_->colour, neutralUnder(settings.white, merged_->colour, *measured_));
    const Frame &reference = *bracket_->frames[bracket_->reference].frame;
    const RadialCurve rim = rimOf(settings.lens, settings.lens.evens ? lensOf(reference, settings.lens) : nullptr);
    const Vector3 rgb = sceneLightAt(*merged_, white, lamp_, rim, x, y);
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
    if (position && shows(*position))
        pointer_ = Reading{*position, probe(*position), {}};
    read();
    Q_EMIT readingsChanged();
}

void Document::addPin(const QPointF &position)
{
    if (!isOpen() || !shows(position))
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

/// Display light of a place, linear Rec. 2020, under settings of its own.
void Document::pickColour(const QPointF &position, const Recipe &settings,
                          const std::function<void(const Vector3 &)> &take)
{
    if (!isOpen() || !shows(position))
        return;
    auto work = [sources = sources_, measured = *measured_, settings, position,
                 reduction = fullMergeReady() ? 1 : previewReduction(sources_)](ExecContext &ctx) {
        std::vector<Point> places;
        constexpr int kReach = 2; // pixels of the merge: single ones are noise
        for (int y = -kReach; y <= kReach; ++y)
            for (int x = -kReach; x <= kReach; ++x)
                places.push_back({position.x() + x * reduction, position.y() + y * reduction});
        Vector3 mean{};
        for (const Vector3 &rgb : outputAt(sources, measured, settings, reduction, places, ctx))
            for (size_t c = 0; c < 3; ++c)
                mean[c] += rgb[c] / double(places.size());
        return rgbToRgb(primariesOf(settings.output.space), kRec2020) * mean;
    };
    pickLane_.start<Vector3>({}, work, [this, take](Outcome<Vector3> outcome) {
        if (!outcome.error.isEmpty())
            Q_EMIT failed(outcome.error);
        if (outcome.result)
            take(*outcome.result);
    });
}

void Document::pickHue(const QPointF &position)
{
    Recipe before = recipe();
    settingsOf<HueMarks>(before.adjustments) = {};
    settingsOf<Monochrome>(before.adjustments) = {};
    settingsOf<Tints>(before.adjustments) = {};
    settingsOf<LightCurve>(before.adjustments) = {};
    pickColour(position, before, [this](const Vector3 &rgb) {
        const Oklab lab = OklabSpace(kRec2020).fromRgb(rgb);
        constexpr double kGrey = 0.008; // chroma that nobody sees a hue in
        if (chromaOf(lab) < kGrey)
            return Q_EMIT failed(tr("This place is grey: pick one that has a colour."));
        const double degrees = std::atan2(lab.b, lab.a) * 180.0 / std::numbers::pi;
        Q_EMIT hueMarked(degrees < 0.0 ? degrees + 360.0 : degrees);
    });
}

void Document::pickCurvePoint(const QPointF &position)
{
    Recipe before = recipe();
    settingsOf<LightCurve>(before.adjustments) = {};
    pickColour(position, before, [this](const Vector3 &rgb) {
        Vector3 codes;
        for (size_t c = 0; c < 3; ++c)
            codes[c] = encodeSrgb(std::clamp(rgb[c], 0.0, 1.0));
        Q_EMIT lightMarked(codes);
    });
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
