#include "steps/curve_group.h"

#include "colour/primaries.h"
#include "colour/transfer.h"
#include "widgets/curve_editor.h"
#include "widgets/panel.h"

#include <QPushButton>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr std::array<PointList CurveSettings::*, 4> kCurves{&CurveSettings::luminance, &CurveSettings::red,
                                                            &CurveSettings::green, &CurveSettings::blue};
constexpr std::array kHistograms{OutputHistogram::kLuminance, 0, 1, 2};

} // namespace

CurveGroup::CurveGroup(Document *document, QWidget *parent)
    : AdjustmentGroup(document, Step::Colour, "Curve", parent), editor_(new CurveEditor(this)),
      pick_(new QPushButton(tr("Point from the picture"), this))
{
    QList<ChoiceRow::Item> items;
    forEachField(LightCurve::kFields, [&](const auto &field) {
        items << ChoiceRow::Item{words(field.name), words(field.help)};
    });
    channel_ = new ChoiceRow(tr("Curve of"), items, this);
    pick_->setCheckable(true);
    pick_->setToolTip(tr("Then click a place in the picture: its light gets a point on the curve."));
    add(channel_);
    add(editor_);
    add(pick_);
    connect(channel_, &ChoiceRow::chosen, this, [this](int index) {
        channel_->setIndex(index);
        refreshCurve();
    });
    connect(editor_, &CurveEditor::changed, this, &CurveGroup::set);
    connect(pick_, &QPushButton::clicked, this, &CurveGroup::pickAsked);
    connect(document, &Document::lightMarked, this, [this](const Vector3 &codes) {
        if (const int c = channel_->index(); c > 0)
            return addPoint(codes[size_t(c) - 1]);
        double light = 0.0; // the curve acts on the code of the luminance, which is no mean of codes
        for (size_t c = 0; c < 3; ++c)
            light += double(kLuminance2020[c]) * decodeSrgb(codes[c]);
        addPoint(encodeSrgb(light));
    });
    connect(document, &Document::recipeChanged, this, &CurveGroup::refreshCurve);
    connect(document, &Document::summaryChanged, this, &CurveGroup::refreshCurve);
    channel_->setIndex(0);
    refreshCurve();
}

PointList CurveSettings::*CurveGroup::member() const
{
    return kCurves[size_t(std::clamp(channel_->index(), 0, 3))];
}

void CurveGroup::set(PointList points, const QString &gesture)
{
    if (!document()->isOpen())
        return;
    Recipe next = document()->recipe();
    settingsOf<LightCurve>(next.adjustments).*member() = std::move(points);
    document()->setRecipe(std::move(next), tr("curve"), gesture);
}

void CurveGroup::addPoint(double code)
{
    const PointList &now = settingsOf<LightCurve>(document()->recipe().adjustments).*member();
    if (auto more = LightCurve::withPoint(now, {code, std::clamp(LightCurve::coded(now, code), 0.0, 1.0)}))
        set(std::move(*more), {});
}

void CurveGroup::refreshCurve()
{
    static const QColor kColours[] = {QColor(), QColor(0xc0, 0x39, 0x2b), QColor(0x2e, 0x8b, 0x57),
                                      QColor(0x2f, 0x6f, 0xb5)};
    const size_t index = size_t(std::clamp(channel_->index(), 0, 3));
    editor_->setColour(kColours[index]);
    editor_->setPoints(document()->isOpen() ? settingsOf<LightCurve>(document()->recipe().adjustments).*member()
                                            : kStraight);
    if (const OutputHistogram *histogram = document()->isOpen() ? document()->outputHistogram() : nullptr)
        editor_->setHistogram(histogram->shares[size_t(kHistograms[index])]);
    editor_->setEnabled(document()->isOpen());
}

} // namespace yolk::app
