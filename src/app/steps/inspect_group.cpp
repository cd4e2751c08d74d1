#include "steps/inspect_group.h"

#include "canvas/inspection_caption.h"
#include "widgets/choice_row.h"
#include "widgets/value_slider.h"

#include <QComboBox>

#include <algorithm>

namespace yolk::app {
namespace {

constexpr double kFarthestEv = 24.0;

} // namespace

InspectGroup::InspectGroup(Document *document, QWidget *parent)
    : FoldGroup(tr("Look into it"), parent), document_(document)
{
    QList<ChoiceRow::Item> items{{tr("Picture"), tr("The picture with its tone")}};
    for (int mode = 0; mode <= int(kLastInspectMode); ++mode)
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
    frame_ = new QComboBox(this);
    frame_->setAccessibleName(tr("Frame over the reference"));
    frame_->setToolTip(tr("The frame whose edges are shown over those of the reference frame."));
    frame_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
    frame_->setMinimumContentsLength(10);
    for (QWidget *widget : {static_cast<QWidget *>(choice_), static_cast<QWidget *>(exposure_),
                            static_cast<QWidget *>(from_), static_cast<QWidget *>(to_), static_cast<QWidget *>(frame_)})
        add(widget);
    connect(frame_, &QComboBox::activated, this, [this](int index) {
        if (!document_->inspection())
            return;
        Inspection look = *document_->inspection();
        look.frame = frame_->itemData(index).toString().toStdString();
        document_->inspect(look);
    });
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
    connect(document, &Document::bracketChanged, this, &InspectGroup::refresh);
    refresh();
}

void InspectGroup::refresh()
{
    const auto &look = document_->inspection();
    choice_->setIndex(look ? int(look->mode) + 1 : 0);
    exposure_->setVisible(look && look->mode == InspectMode::Light);
    for (ValueSlider *slider : {from_, to_})
        slider->setVisible(look && look->mode == InspectMode::Peek);
    frame_->setVisible(look && look->mode == InspectMode::Edges);
    if (look && look->mode == InspectMode::Edges) {
        const Bracket &bracket = document_->bracket();
        const auto used = bracket.used();
        frame_->clear();
        for (size_t i = 0; i < used.size(); ++i) {
            if (used[i] == &bracket.frames[bracket.reference] && used.size() > 1)
                continue;
            frame_->addItem(tr("Frame %1, %2").arg(used[i]->number).arg(QString::fromStdString(used[i]->frame->name)),
                            QString::fromStdString(used[i]->frame->id));
            if (i == edgesFrame(bracket, *look))
                frame_->setCurrentIndex(frame_->count() - 1);
        }
    }
    if (!look)
        return;
    exposure_->setValue(look->exposureEv);
    from_->setValue(look->lowEv);
    to_->setValue(look->highEv);
}

} // namespace yolk::app
