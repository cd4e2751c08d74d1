#include "steps/hues_group.h"

#include "widgets/hue_ring.h"
#include "widgets/panel.h"

#include <QHBoxLayout>
#include <QListWidget>
#include <QPushButton>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

QString rowText(const HueMark &m)
{
    const auto number = [](double value) {
        return (value > 0.0   ? QStringLiteral("+")
                : value < 0.0 ? QStringLiteral("\u2212")
                              : QString()) +
               QString::number(std::lround(std::abs(value)));
    };
    return HuesGroup::tr("%1\u00b0   turn %2   strength %3   light %4")
        .arg(std::lround(m.hue))
        .arg(number(m.turn), number(m.saturation), number(m.lightness));
}

} // namespace

HuesGroup::HuesGroup(Document *document, QWidget *parent)
    : AdjustmentGroup(document, Step::Colour, "Hues", parent), ring_(new HueRing(this)),
      pick_(new QPushButton(tr("Pick in the picture"), this)), remove_(new QPushButton(tr("Remove"), this)),
      list_(new QListWidget(this))
{
    pick_->setCheckable(true);
    pick_->setToolTip(tr("Then click a colour in the picture: it gets a mark. H"));
    remove_->setToolTip(tr("Takes the chosen mark off the ring."));
    list_->setToolTip(tr("The marks and what they do: hue, turn, strength and lightness."));
    list_->setAccessibleName(tr("Marks"));
    auto *buttons = new QWidget(this);
    auto *row = new QHBoxLayout(buttons);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    row->addWidget(pick_, 2);
    row->addWidget(remove_, 1);
    add(ring_);
    add(buttons);
    add(list_);
    forEachField(kHueMarkFields, [&](const auto &field) {
        auto *slider = new ValueSlider(sliderSpec(field), this);
        connect(slider, &ValueSlider::changed, this, [this, &field](double value, const QString &gesture) {
            if (selected_ < 0)
                return;
            HueMark m = marks()[size_t(selected_)];
            m.*field.member = value;
            change(selected_, m, gesture);
        });
        add(slider);
        sliders_.push_back(slider);
    });
    connect(ring_, &HueRing::addAsked, this, &HuesGroup::addMark);
    connect(ring_, &HueRing::removeAsked, this, &HuesGroup::removeMark);
    connect(ring_, &HueRing::changed, this, &HuesGroup::change);
    connect(ring_, &HueRing::selectAsked, this, [this](int mark) {
        selected_ = mark;
        refreshMarks();
    });
    connect(remove_, &QPushButton::clicked, this, [this] { removeMark(selected_); });
    connect(list_, &QListWidget::currentRowChanged, this, [this](int mark) {
        if (mark >= 0 && mark != selected_) {
            selected_ = mark;
            refreshMarks();
        }
    });
    connect(pick_, &QPushButton::clicked, this, &HuesGroup::pickAsked);
    connect(document, &Document::hueMarked, this, &HuesGroup::addMark);
    connect(document, &Document::recipeChanged, this, &HuesGroup::refreshMarks);
    connect(document, &Document::summaryChanged, this,
            [this] { ring_->setPicture(this->document()->overview().image); });
    refreshMarks();
}

const std::vector<HueMark> &HuesGroup::marks() const
{
    return settingsOf<HueMarks>(document()->recipe().adjustments).marks;
}

void HuesGroup::setMarks(std::vector<HueMark> marks, const QString &what, const QString &gesture)
{
    Recipe next = document()->recipe();
    settingsOf<HueMarks>(next.adjustments).marks = std::move(marks);
    document()->setRecipe(std::move(next), what, gesture);
}

void HuesGroup::change(int mark, const HueMark &now, const QString &gesture)
{
    std::vector<HueMark> all = marks();
    all[size_t(mark)] = now;
    setMarks(std::move(all), tr("hue mark"), gesture);
}

void HuesGroup::addMark(double hue)
{
    if (!document()->isOpen())
        return;
    std::vector<HueMark> all = marks();
    if (all.size() >= HueMarks::kMost)
        return Q_EMIT document()->failed(tr("There are %1 marks already: remove one first.").arg(HueMarks::kMost));
    all.push_back({std::round(hue)});
    selected_ = int(all.size()) - 1;
    setMarks(std::move(all), tr("new hue mark"));
}

void HuesGroup::removeMark(int mark)
{
    std::vector<HueMark> all = marks();
    if (mark < 0 || size_t(mark) >= all.size())
        return;
    all.erase(all.begin() + mark);
    selected_ = std::min(mark, int(all.size()) - 1);
    setMarks(std::move(all), tr("removed hue mark"));
}

void HuesGroup::refreshMarks()
{
    const std::vector<HueMark> all = document()->isOpen() ? marks() : std::vector<HueMark>();
    selected_ = std::clamp(selected_, all.empty() ? -1 : 0, int(all.size()) - 1);
    ring_->setMarks(all, selected_);
    const QSignalBlocker quiet(list_);
    while (list_->count() > int(all.size()))
        delete list_->takeItem(list_->count() - 1);
    for (int i = 0; i < int(all.size()); ++i) {
        if (i == list_->count())
            list_->addItem(QString());
        list_->item(i)->setText(rowText(all[size_t(i)]));
    }
    list_->setCurrentRow(selected_);
    constexpr int kMostRows = 4;
    const int rows = std::min(kMostRows, list_->count());
    list_->setVisible(rows > 0);
    if (rows > 0)
        list_->setFixedHeight(rows * list_->sizeHintForRow(0) + 2 * list_->frameWidth());
    remove_->setEnabled(selected_ >= 0);
    size_t i = 0;
    forEachField(kHueMarkFields, [&](const auto &field) {
        ValueSlider *slider = sliders_[i++];
        slider->setVisible(selected_ >= 0);
        if (selected_ >= 0)
            slider->setValue(all[size_t(selected_)].*field.member);
    });
    ring_->setEnabled(document()->isOpen());
}

} // namespace yolk::app
