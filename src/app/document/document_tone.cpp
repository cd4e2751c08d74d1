// Tone: settings, presets, and pictures of other settings to choose from.
#include "document/document.h"

#include "recipe/sections.h"
#include "tone/tone_curve.h"

#include <cmath>

namespace yolk::app {

void Document::setTone(double ToneSettings::*member, double value, const QString &name, const QString &gesture)
{
    Recipe next = recipe();
    next.tone.*member = value;
    setRecipe(std::move(next), name, gesture);
}

void Document::dragZone(int index, double lightness, const QString &gesture)
{
    // Where the curve is measured on the picture, the drag moves the settings' own curve by as much.
    const double ev = zoneEvs_[size_t(index)], wanted = curve_->lightness(ev) + lightness - lightnessAt(ev);
    const double value = std::round(zoneValueFor(recipe().tone, measured_->tone, index, wanted));
    setTone(kZones[size_t(index)], value, tr("zone on the light scale"), gesture);
}

double Document::lightnessAt(double ev) const
{
    const double at = (ev - ToneResponse::kFirstEv) / ToneResponse::kBinEv - 0.5;
    const int bin = int(std::floor(at));
    if (recipe().tone.method != ToneMethod::Blend || !response_ || bin < 0 || bin + 1 >= ToneResponse::kBins)
        return curve_->lightness(ev);
    const double a = response_->lightness[size_t(bin)], b = response_->lightness[size_t(bin) + 1];
    return a + (b - a) * (at - bin);
}

Recipe Document::automaticRecipe() const
{
    Recipe start;
    start.tone = automatic_;
    return withoutPresets(recipe(), start);
}

void Document::startAgain()
{
    setRecipe(automaticRecipe(), tr("start again"));
}

void Document::startAgain(Step step)
{
    setRecipe(withoutStep(recipe(), step, start()), tr("start again"));
}

void Document::applyPreset(const Preset &preset, double amount, const QString &gesture)
{
    if (isOpen())
        setRecipe(withPreset(recipe(), preset, amount, automaticRecipe()),
                  tr("preset %1").arg(QString::fromStdString(preset.name)), gesture);
}

void Document::taste(QList<TasteRequest> wanted)
{
    tasteLane_.discard();
    if (!isOpen() || wanted.isEmpty())
        return;
    ViewJob job = jobFor({});
    const int full = job.reduction, preview = previewReduction(sources_);    // what shows all of it is small
    const auto handOut = [this](const QString &key, const QImage &picture) { // from the lane's thread
        QMetaObject::invokeMethod(
            this, [this, key, picture] { Q_EMIT tasted(key, picture); }, Qt::QueuedConnection);
    };
    struct Done {};
    auto work = [job, full, preview, wanted = std::move(wanted), area = QRectF(area_),
                 handOut](ExecContext &ctx) mutable {
        for (const TasteRequest &w : wanted) {
            job.recipe = w.recipe;
            job.reduction = w.region ? full : preview;
            handOut(w.key, paintView(job, {w.region.value_or(area), w.size}, ctx));
        }
        return Done{};
    };
    tasteLane_.start<Done>({}, work, [this](Outcome<Done> outcome) {
        if (!outcome.result && !outcome.cancelled)
            Q_EMIT failed(outcome.error);
    });
}

} // namespace yolk::app
