#include "steps/white_group.h"

#include "widgets/panel.h"

#include <QPushButton>

namespace yolk::app {
namespace {

const auto &kMode = fieldOf<kWhiteFields, &WhiteSettings::mode>();
const auto &kTemperature = fieldOf<kWhiteFields, &WhiteSettings::temperature>();
const auto &kTint = fieldOf<kWhiteFields, &WhiteSettings::tint>();

} // namespace

WhiteGroup::WhiteGroup(Document *document, QWidget *parent)
    : FoldGroup(words(kMode.name), parent), document_(document), mode_(choiceRow(kMode, this)),
      temperature_(new ValueSlider(sliderSpec(kTemperature), this)), tint_(new ValueSlider(sliderSpec(kTint), this)),
      pick_(new QPushButton(tr("Pick something neutral"), this))
{
    pick_->setCheckable(true);
    pick_->setToolTip(tr("Then click a grey or white place in the picture: its colour becomes neutral. W"));
    add(mode_);
    add(temperature_);
    add(tint_);
    add(pick_);
    connect(mode_, &ChoiceRow::chosen, this, [this](int index) {
        Recipe next = document_->recipe();
        const WhitePoint now = document_->white();
        next.white = {kWhiteModes[size_t(index)].value, now.temperature, now.tint};
        document_->setRecipe(next, tr("white balance"));
    });
    connect(temperature_, &ValueSlider::changed, this,
            [this](double value, const QString &gesture) { set(&WhiteSettings::temperature, value, gesture); });
    connect(tint_, &ValueSlider::changed, this,
            [this](double value, const QString &gesture) { set(&WhiteSettings::tint, value, gesture); });
    connect(pick_, &QPushButton::clicked, this, &WhiteGroup::pickAsked);
    connect(document, &Document::recipeChanged, this, &WhiteGroup::refresh);
}

void WhiteGroup::set(double WhiteSettings::*member, double value, const QString &gesture)
{
    Recipe next = document_->recipe();
    const WhitePoint now = document_->white(); // the other number stays what it is in force
    next.white = {WhiteMode::Own, now.temperature, now.tint};
    next.white.*member = value;
    document_->setRecipe(next, tr("white balance"), gesture);
}

void WhiteGroup::refresh()
{
    const WhitePoint now = document_->white(), asShot = document_->measured().asShot;
    for (size_t i = 0; i < kWhiteModes.size(); ++i)
        if (kWhiteModes[i].value == document_->recipe().white.mode)
            mode_->setIndex(int(i));
    temperature_->setStart(asShot.temperature);
    temperature_->setValue(now.temperature);
    tint_->setStart(asShot.tint);
    tint_->setValue(now.tint);
}

} // namespace yolk::app
