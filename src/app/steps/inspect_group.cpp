#include "steps/inspect_group.h"

#include "canvas/inspection_caption.h"
#include "widgets/choice_row.h"
#include "widgets/value_slider.h"

#include <algorithm>

namespace yolk::app {
namespace {

constexpr double kFarthestEv = 24.0;

} // namespace

InspectGroup::InspectGroup(Document *document, QWidget *parent)
    : FoldGroup(tr("Look into it"), parent), document_(document)
{
    QList<ChoiceRow::Item> items{{tr("Picture"), tr("The picture with its tone")}};
    for (int mode = 0; mode <= int(InspectMode::Clipped); ++mode)
        items << ChoiceRow::Item{inspectionName(InspectMode(mode)), inspectionHelp(InspectMode(mode))};
    choice_ = new ChoiceRow(tr("What is shown"), items, this, 3);
    exposure_ = new ValueSlider({tr("Exposure of the view"),
                                 tr("Makes the light brighter or darker to look at; changes no setting"), tr("EV"),
                                 -kFarthestEv, kFarthestEv, 0, 0.5, 1},
                                this);
    from_ = new ValueSlider({tr("Peek from"), tr("The darkest light that the window shows"), tr("EV"), -kFarthestEv,
                             kFarthestEv, -4, 0.5, 1},
                            this);
    to_ = new ValueSlider({tr("Peek to"), tr("The brightest light that the window shows"), tr("EV"), -kFarthestEv,
                           kFarthestEv, 0, 0.5, 1},
                          this);
    for (QWidget *widget : {static_cast<QWidget *>(choice_), static_cast<QWidget *>(exposure_),
                            static_cast<QWidget *>(from_), static_cast<QWidget *>(to_)})
        add(widget);
    connect(choice_, &ChoiceRow::chosen, this, [this](int index) {
        document_->inspect(index == 0 ? std::nullopt
                                      : std::optional(document_->lastInspection(InspectMode(index - 1))));
    });
    const auto change = [this](auto &&apply) {
        return [this, apply](double value, const QString &) {
            if (!document_->inspection())
                return;
            Inspection look = *document_->inspection();
            apply(look, value);
            document_->inspect(look);
        };
    };
    connect(exposure_, &ValueSlider::changed, this,
            change([](Inspection &look, double value) { look.exposureEv = value; }));
    connect(from_, &ValueSlider::changed, this, change([](Inspection &look, double value) {
                look.lowEv = std::min(value, kFarthestEv - kLeastWindowEv);
                look.highEv = std::max(look.highEv, look.lowEv + kLeastWindowEv);
            }));
    connect(to_, &ValueSlider::changed, this, change([](Inspection &look, double value) {
                look.highEv = std::max(value, -kFarthestEv + kLeastWindowEv);
                look.lowEv = std::min(look.lowEv, look.highEv - kLeastWindowEv);
            }));
    connect(document, &Document::lookChanged, this, &InspectGroup::refresh);
    connect(document, &Document::setChanged, this, &InspectGroup::refresh);
    refresh();
}

void InspectGroup::refresh()
{
    const auto &look = document_->inspection();
    choice_->setIndex(look ? int(look->mode) + 1 : 0);
    exposure_->setVisible(look && look->mode == InspectMode::Light);
    for (ValueSlider *slider : {from_, to_})
        slider->setVisible(look && look->mode == InspectMode::Peek);
    if (!look)
        return;
    exposure_->setValue(look->exposureEv);
    from_->setValue(look->lowEv);
    to_->setValue(look->highEv);
}

} // namespace yolk::app
