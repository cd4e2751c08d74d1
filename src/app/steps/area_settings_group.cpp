#include "steps/area_settings_group.h"

#include "recipe/sections.h"

#include <QMenu>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>

namespace yolk::app {

AreaSettingsGroup::AreaSettingsGroup(Document *document, QWidget *parent)
    : FoldGroup(tr("Settings"), parent), document_(document), areas_(document->areas()),
      strength_(new ValueSlider(sliderSpec(fieldOf<kAreaFields, &Area::strength>()), this)),
      side_(new ChoiceRow(tr("Side"),
                          {{tr("Inside"), tr("Settings where the area is")},
                           {tr("Outside"), tr("Settings where the area is not: the other side of a gradient")}},
                          this)),
      box_(new QWidget(this)), column_(new QVBoxLayout(box_)), add_(new QToolButton(this)), menu_(new QMenu(this))
{
    column_->setContentsMargins(0, 0, 0, 0);
    column_->setSpacing(6);
    add_->setText(tr("Add a setting"));
    add_->setToolTip(tr("Chooses what else this area changes."));
    add_->setMenu(menu_);
    add_->setPopupMode(QToolButton::InstantPopup);
    add_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    add(strength_);
    add(side_);
    add(box_);
    add(add_);
    connect(side_, &ChoiceRow::chosen, this, [this](int index) {
        outside_ = index == 1;
        asked_.clear();
        refresh();
    });
    connect(strength_, &ValueSlider::changed, this, [this](double value, const QString &gesture) {
        areas_->change([value](Area &a) { a.strength = value; }, tr("strength of an area"), gesture);
    });
    connect(menu_, &QMenu::aboutToShow, this, &AreaSettingsGroup::fillMenu);
    connect(areas_, &Areas::changed, this, &AreaSettingsGroup::refresh);
    connect(areas_, &Areas::chosenChanged, this, [this] {
        asked_.clear();
        outside_ = false;
        refresh();
    });
    side_->setIndex(0);
    fillMenu();
    refresh();
}

void AreaSettingsGroup::ask(const QString &path)
{
    if (std::ranges::find(asked_, path.toStdString()) == asked_.end())
        asked_.push_back(path.toStdString());
    refresh();
    if (ValueSlider *slider = amount(path))
        slider->track()->setFocus();
}

void AreaSettingsGroup::fillMenu()
{
    menu_->clear();
    QHash<QString, QMenu *> groups;
    const Recipe now = document_->isOpen() ? document_->recipe() : Recipe();
    if (const AreaAmounts before = areas_->amountsBefore(areas_->chosenIndex()); !before.empty()) {
        menu_->addAction(tr("As the area before"), this, [this, before] {
            areas_->change([&](Area &a) { side(a) = before; }, tr("settings of the area before"));
        });
        menu_->addSeparator();
    }
    forEachLocalField([&](const auto &section, const auto &field) {
        if constexpr (requires { section.of(now); })
            if (!yolk::isVisible(section.of(now), field))
                return;
        QMenu *&group = groups[words(field.group)];
        if (!group)
            group = menu_->addMenu(words(field.group));
        const QString path = QString::fromStdString(pathOf(section, field));
        group->addAction(words(field.name), this, [this, path] { ask(path); });
    });
}

void AreaSettingsGroup::refresh()
{
    const Area *area = document_->isOpen() ? areas_->chosen() : nullptr;
    setVisible(area);
    if (!area)
        return;
    strength_->setValue(area->strength);
    side_->setIndex(outside_ ? 1 : 0);
    const AreaAmounts &amounts = outside_ ? area->outside : area->amounts;
    QList<QString> wanted;
    forEachLocalField([&](const auto &section, const auto &field) {
        const std::string path = pathOf(section, field);
        const auto at = amounts.find(path);
        const bool moved = at != amounts.end() && at->second != 0.0;
        const bool asked = std::ranges::find(asked_, path) != asked_.end();
        if (!moved && !asked)
            return;
        if (!asked)
            asked_.push_back(path); // it stays while this area is worked on, though it comes back to 0
        const QString key = QString::fromStdString(path);
        wanted << key;
        ValueSlider *&slider = amounts_[key];
        if (!slider) {
            SliderSpec spec = sliderSpec(field);
            spec.maximum = localReach(field);
            spec.minimum = -spec.maximum;
            spec.neutral = 0.0;
            slider = new ValueSlider(spec, box_);
            connect(slider, &ValueSlider::changed, this,
                    [this, path, name = words(field.name)](double value, const QString &gesture) {
                        areas_->change([&](Area &a) { side(a)[path] = value; }, tr("%1 of an area").arg(name), gesture);
                    });
            column_->addWidget(slider);
        }
        slider->setValue(moved ? at->second : 0.0);
        slider->show();
    });
    for (auto it = amounts_.begin(); it != amounts_.end();) {
        if (wanted.contains(it.key())) {
            ++it;
            continue;
        }
        it.value()->hide();
        it.value()->deleteLater();
        it = amounts_.erase(it);
    }
}

} // namespace yolk::app
