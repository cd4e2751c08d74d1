#include "steps/areas_panel.h"

#include "drawing/area_text.h"
#include "recipe/sections.h"

#include <QCheckBox>
#include <QGridLayout>
#include <QInputDialog>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QStyledItemDelegate>
#include <QToolButton>

#include <algorithm>

namespace yolk::app {
namespace {

constexpr int kStrengthRole = Qt::UserRole;

/// Writes the strength at the end of a row.
class AreaRow : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter *painter, const QStyleOptionViewItem &option, const QModelIndex &index) const override
    {
        const QString strength = index.data(kStrengthRole).toString();
        QStyleOptionViewItem own = option;
        constexpr int kMostRoom = 110, kGap = 14; // a long name of a group leaves room for the area's own
        const int room = std::min(kMostRoom, option.fontMetrics.horizontalAdvance(strength) + kGap);
        if (!strength.isEmpty())
            own.rect.setWidth(own.rect.width() - room);
        QStyledItemDelegate::paint(painter, own, index);
        if (strength.isEmpty())
            return;
        QRect rest = option.rect;
        rest.setLeft(own.rect.right() + 1);
        if (option.state & QStyle::State_Selected)
            painter->fillRect(rest, option.palette.highlight());
        painter->setPen(option.palette.color(QPalette::PlaceholderText));
        const QRect within = rest.adjusted(0, 0, -8, 0);
        painter->drawText(within, Qt::AlignRight | Qt::AlignVCenter,
                          option.fontMetrics.elidedText(strength, Qt::ElideRight, within.width()));
    }
};

constexpr double kLightStep = 0.25; // EV that one full stroke of Lighten or Darken makes

const QList<ChoiceRow::Item> &lookItems()
{
    static const QList<ChoiceRow::Item> items{
        {AreasPanel::tr("Picture"), AreasPanel::tr("The picture as it is")},
        {AreasPanel::tr("Hatched"),
         AreasPanel::tr("The picture, hatched where the area is: wider stripes are more of it")},
        {AreasPanel::tr("Alone"), AreasPanel::tr("Only what the area holds; the rest is grey")},
        {AreasPanel::tr("Mask"), AreasPanel::tr("How much of every place belongs to the area: white is all of it")},
        {AreasPanel::tr("Without"), AreasPanel::tr("The picture as it would be without this area")},
    };
    return items;
}

} // namespace

AreasPanel::AreasPanel(Document *document, QWidget *parent)
    : Panel(parent), document_(document), areas_(document->areas()), brush_(new BrushTool(document, this)),
      handles_(new ShapeTool(document, this)), lighten_(new QPushButton(tr("Lighten"), this)),
      darken_(new QPushButton(tr("Darken"), this)), list_(new QListWidget(this)), listButtons_(new QWidget(this)),
      look_(new ChoiceRow(tr("Show the area"), lookItems(), this, 3)),
      side_(new ChoiceRow(tr("Side"),
                          {{tr("Inside"), tr("Settings where the area is")},
                           {tr("Outside"), tr("Settings where the area is not: the other side of a gradient")}},
                          this)),
      meets_(choiceRow(fieldOf<kShapeFields, &AreaShape::meets>(), this)),
      strength_(new ValueSlider(sliderSpec(fieldOf<kAreaFields, &Area::strength>()), this)),
      amountsBox_(new QWidget(this)), amountsColumn_(new QVBoxLayout(amountsBox_)), addSetting_(new QToolButton(this)),
      addShape_(new QToolButton(this)), removeShape_(new QPushButton(tr("Remove this shape"), this)),
      settingsMenu_(new QMenu(this)), shapesMenu_(new QMenu(this))
{
    auto *addBox = new QWidget(this);
    auto *grid = new QGridLayout(addBox);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setSpacing(6);
    constexpr int kColumns = 3;
    for (size_t i = 0; i < kShapeKinds.size(); ++i) {
        const Choice<ShapeKind> &kind = kShapeKinds[i];
        add_[i] = new QPushButton(words(kind.name), this);
        add_[i]->setToolTip(tr("Adds an area. %1.").arg(words(kind.help)));
        connect(add_[i], &QPushButton::clicked, this, [this, &kind] { addArea(kind.value); });
        grid->addWidget(add_[i], int(i) / kColumns, int(i) % kColumns);
    }
    auto *lights = new QWidget(this);
    auto *lightsRow = new QGridLayout(lights);
    lightsRow->setContentsMargins(0, 0, 0, 0);
    lightsRow->setSpacing(6);
    lightsRow->addWidget(lighten_, 0, 0);
    lightsRow->addWidget(darken_, 0, 1);
    lighten_->setToolTip(tr("Paints light on: every stroke adds a quarter of a stop."));
    darken_->setToolTip(tr("Paints light away: every stroke takes a quarter of a stop."));
    connect(lighten_, &QPushButton::clicked, this, [this] { addLight(true); });
    connect(darken_, &QPushButton::clicked, this, [this] { addLight(false); });

    auto *addGroup = new FoldGroup(tr("Add an area"), this);
    addGroup->add(addBox);
    addGroup->add(lights);
    add(addGroup);

    listGroup_ = new FoldGroup(tr("Areas"), this);
    list_->setAccessibleName(tr("Areas"));
    list_->setToolTip(tr("The areas, in their order. The tick switches one; F2 or a double click gives it a name."));
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    list_->setEditTriggers(QAbstractItemView::DoubleClicked | QAbstractItemView::EditKeyPressed);
    list_->setUniformItemSizes(true);
    list_->setIconSize({30, 20});
    list_->setItemDelegate(new AreaRow(list_));
    auto *row = new QGridLayout(listButtons_);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    const auto addButton = [&](const QString &text, const QString &help, int column, auto act) {
        auto *button = new QPushButton(text, this);
        button->setToolTip(help);
        button->setAccessibleName(help);
        connect(button, &QPushButton::clicked, this, act);
        row->addWidget(button, 0, column);
        return button;
    };
    addButton(tr("Duplicate"), tr("Duplicates the chosen area."), 0,
              [this] { areas_->duplicate(areas_->chosenIndex()); });
    addButton(tr("Remove"), tr("Removes the chosen area."), 1, [this] { removeChosen(); });
    addButton(QStringLiteral("↑"), tr("Moves the chosen area up."), 2, [this] {
        areas_->move(areas_->chosenIndex(), -1);
    })->setMaximumWidth(34);
    addButton(QStringLiteral("↓"), tr("Moves the chosen area down."), 3, [this] {
        areas_->move(areas_->chosenIndex(), +1);
    })->setMaximumWidth(34);
    list_->setContextMenuPolicy(Qt::CustomContextMenu);
    connect(list_, &QWidget::customContextMenuRequested, this, [this](const QPoint &at) {
        const int index = list_->indexAt(at).row();
        if (index < 0)
            return;
        QMenu menu(this);
        makeAreaMenu(menu, index);
        menu.exec(list_->viewport()->mapToGlobal(at));
    });
    listGroup_->add(list_);
    listGroup_->add(listButtons_);
    listGroup_->add(look_);
    add(listGroup_);

    settingsGroup_ = new FoldGroup(tr("Settings"), this);
    amountsColumn_->setContentsMargins(0, 0, 0, 0);
    amountsColumn_->setSpacing(6);
    addSetting_->setText(tr("Add a setting"));
    addSetting_->setToolTip(tr("Chooses what else this area changes."));
    addSetting_->setMenu(settingsMenu_);
    addSetting_->setPopupMode(QToolButton::InstantPopup);
    addSetting_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    settingsGroup_->add(strength_);
    settingsGroup_->add(side_);
    settingsGroup_->add(amountsBox_);
    settingsGroup_->add(addSetting_);
    add(settingsGroup_);

    brushGroup_ = new FoldGroup(tr("Brush"), this);
    forEachField(kStrokeFields, [&](const auto &field) { addBrushControl(brushGroup_, field); });
    add(brushGroup_);

    shapeGroup_ = new FoldGroup(tr("Shape"), this);
    shapeGroup_->add(meets_);
    forEachField(kShapeFields, [&](const auto &field) { addShapeControl(shapeGroup_, field); });
    addShape_->setText(tr("Add a shape"));
    addShape_->setToolTip(tr("A further shape that joins the area, cuts it or meets it."));
    addShape_->setMenu(shapesMenu_);
    addShape_->setPopupMode(QToolButton::InstantPopup);
    addShape_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    removeShape_->setToolTip(tr("The area goes on without the chosen shape."));
    shapeGroup_->add(addShape_);
    shapeGroup_->add(removeShape_);
    for (const Choice<Meets> &meets : kMeetings) {
        QMenu *kinds = shapesMenu_->addMenu(words(meets.name));
        for (const Choice<ShapeKind> &kind : kShapeKinds)
            kinds->addAction(words(kind.name), this, [this, &meets, &kind] {
                changeArea(
                    [&](Area &area) {
                        if (area.shapes.size() >= kMostShapes)
                            return;
                        AreaShape shape = areas_->shapeOf(kind.value);
                        shape.meets = meets.value;
                        area.shapes.push_back(std::move(shape));
                    },
                    tr("add a shape"));
                if (const Area *area = areas_->chosen())
                    areas_->chooseShape(int(area->shapes.size()) - 1);
            });
    }
    connect(removeShape_, &QPushButton::clicked, this, [this] {
        changeArea(
            [this](Area &area) {
                if (area.shapes.size() > 1)
                    area.shapes.erase(area.shapes.begin() + areas_->chosenShape());
            },
            tr("remove a shape"));
    });
    add(shapeGroup_);
    auto *again = new QPushButton(tr("Start again"), this);
    again->setToolTip(tr("Removes all areas."));
    connect(again, &QPushButton::clicked, document, [document] { document->startAgain(Step::Areas); });
    add(again);
    addStretch();

    connect(list_, &QListWidget::currentRowChanged, this, [this](int index) {
        if (!filling_)
            areas_->choose(index);
    });
    connect(list_, &QListWidget::itemChanged, this, [this](QListWidgetItem *item) {
        if (filling_)
            return;
        const int index = list_->row(item);
        Area next = areas_->all()[size_t(index)];
        const bool on = item->checkState() == Qt::Checked;
        if (on != next.on) {
            next.on = on;
            areas_->set(index, next,
                        on ? tr("switch %1 on").arg(areas_->nameOf(index))
                           : tr("switch %1 off").arg(areas_->nameOf(index)));
        } else if (item->text() != areas_->nameOf(index)) {
            next.name = item->text().trimmed().toStdString();
            areas_->set(index, next, tr("name of an area"));
        }
    });
    connect(look_, &ChoiceRow::chosen, areas_, [this](int index) { areas_->setLook(AreaLook(index)); });
    connect(side_, &ChoiceRow::chosen, this, [this](int index) {
        outside_ = index == 1;
        added_.clear();
        refreshAmounts();
    });
    connect(meets_, &ChoiceRow::chosen, this, [this](int index) {
        changeShape([index](AreaShape &s) { s.meets = kMeetings[size_t(index)].value; }, tr("how shapes meet"));
    });
    connect(strength_, &ValueSlider::changed, this, [this](double value, const QString &gesture) {
        changeArea([value](Area &a) { a.strength = value; }, tr("strength of an area"), gesture);
    });
    connect(settingsMenu_, &QMenu::aboutToShow, this, &AreasPanel::fillSettingsMenu);
    connect(areas_, &Areas::changed, this, &AreasPanel::refresh);
    connect(areas_, &Areas::picturesChanged, this, &AreasPanel::refreshList);
    connect(areas_, &Areas::lookChanged, this, [this] { look_->setIndex(int(areas_->look())); });
    connect(areas_, &Areas::chosenChanged, this, [this] {
        added_.clear();
        outside_ = false;
        refresh();
        Q_EMIT toolChanged();
    });
    connect(brush_, &BrushTool::brushChanged, this, [this] {
        for (const auto &show : brushShown_)
            show(brush_->brush());
    });
    side_->setIndex(0);
    look_->setIndex(0);
    fillSettingsMenu();
    refresh();
}

template <class Field> void AreasPanel::addShapeControl(FoldGroup *group, const Field &field)
{
    QWidget *control = nullptr;
    if constexpr (IsReal<Field>) {
        auto *slider = new ValueSlider(sliderSpec(field), this);
        connect(slider, &ValueSlider::changed, this, [this, &field](double value, const QString &gesture) {
            changeShape([&](AreaShape &s) { s.*field.member = value; }, words(field.name).toLower(), gesture);
        });
        shapeShown_.push_back([slider, &field](const AreaShape &s) { slider->setValue(s.*field.member); });
        control = slider;
    } else if constexpr (IsSwitch<Field>) {
        auto *box = new QCheckBox(words(field.name), this);
        box->setToolTip(words(field.help));
        connect(box, &QCheckBox::clicked, this, [this, &field](bool on) {
            changeShape([&](AreaShape &s) { s.*field.member = on; }, words(field.name).toLower());
        });
        shapeShown_.push_back([box, &field](const AreaShape &s) { box->setChecked(s.*field.member); });
        control = box;
    }
    if (!control)
        return;
    shapeShown_.push_back([control, &field](const AreaShape &s) { control->setVisible(yolk::isVisible(s, field)); });
    shapeControls_.insert(QString::fromUtf8(field.key.data(), qsizetype(field.key.size())), control);
    group->add(control);
}

template <class Field> void AreasPanel::addBrushControl(FoldGroup *group, const Field &field)
{
    QWidget *control = nullptr;
    if constexpr (IsReal<Field>) {
        SliderSpec spec = sliderSpec(field);
        constexpr double kWidest = 1000.0;
        spec.maximum = std::min(spec.maximum, kWidest);
        auto *slider = new ValueSlider(spec, this);
        connect(slider, &ValueSlider::changed, this, [this, &field](double value) {
            Stroke brush = brush_->brush();
            brush.*field.member = value;
            brush_->setBrush(brush);
        });
        brushShown_.push_back([slider, &field](const Stroke &s) { slider->setValue(s.*field.member); });
        control = slider;
    } else if constexpr (IsSwitch<Field>) {
        auto *box = new QCheckBox(words(field.name), this);
        box->setToolTip(tr("The next strokes take away; or hold Ctrl while painting."));
        connect(box, &QCheckBox::clicked, this, [this, &field](bool on) {
            Stroke brush = brush_->brush();
            brush.*field.member = on;
            brush_->setBrush(brush);
        });
        brushShown_.push_back([box, &field](const Stroke &s) { box->setChecked(s.*field.member); });
        control = box;
    }
    if (!control)
        return;
    shapeControls_.insert(QStringLiteral("brush.") + QString::fromUtf8(field.key.data(), qsizetype(field.key.size())),
                          control);
    group->add(control);
}

CanvasTool *AreasPanel::tool() const
{
    const Area *area = document_->isOpen() ? areas_->chosen() : nullptr;
    if (!area || area->shapes.empty())
        return nullptr;
    const AreaShape &shape = area->shapes[size_t(areas_->chosenShape())];
    if (isBrush(shape))
        return brush_;
    return hasPlaces(shape) ? static_cast<CanvasTool *>(handles_) : nullptr;
}

void AreasPanel::addArea(ShapeKind kind)
{
    if (!document_->isOpen())
        return;
    Area area;
    area.shapes = {areas_->shapeOf(kind)};
    areas_->add(std::move(area), tr("add an area"));
}

void AreasPanel::addLight(bool lighter)
{
    if (!document_->isOpen())
        return;
    const std::string name = (lighter ? tr("Lighten") : tr("Darken")).toStdString();
    for (size_t i = 0; i < areas_->all().size(); ++i)
        if (areas_->all()[i].name == name)
            return areas_->choose(int(i));
    Area area;
    area.name = name;
    area.shapes = {areas_->shapeOf(ShapeKind::Brush)};
    area.shapes.front().buildsUp = true;
    area.amounts["tone.exposure"] = (lighter ? kLightStep : -kLightStep) * kBuildUpSteps;
    areas_->add(std::move(area), lighter ? tr("lighten by brush") : tr("darken by brush"));
}

void AreasPanel::cycleLook()
{
    areas_->setLook(AreaLook((int(areas_->look()) + 1) % int(lookItems().size())));
}

void AreasPanel::makeAreaMenu(QMenu &menu, int index)
{
    const Area &area = areas_->all()[size_t(index)];
    menu.addAction(tr("Duplicate"), this, [this, index] { areas_->duplicate(index); });
    menu.addAction(tr("Copy"), this, [this, index] { areas_->copy(index); });
    menu.addAction(tr("Paste"), areas_, &Areas::paste);
    menu.addSeparator();
    menu.addAction(tr("Put into a group…"), this, [this, index, was = QString::fromStdString(area.group)] {
        bool taken = false;
        const QString name =
            QInputDialog::getText(this, tr("Group"), tr("Areas of one group are switched together. Its name:"),
                                  QLineEdit::Normal, was, &taken);
        if (taken)
            areas_->setGroup(index, name);
    });
    if (!area.group.empty()) {
        menu.addAction(tr("Take out of its group"), this, [this, index] { areas_->setGroup(index, {}); });
        menu.addAction(area.on ? tr("Switch its group off") : tr("Switch its group on"), this,
                       [this, index, on = !area.on] { areas_->setGroupOn(index, on); });
    }
    menu.addSeparator();
    menu.addAction(tr("Remove"), this, [this, index] { areas_->remove(index); });
}

void AreasPanel::removeChosen()
{
    areas_->remove(areas_->chosenIndex());
}

void AreasPanel::changeArea(const std::function<void(Area &)> &change, const QString &what, const QString &gesture)
{
    const Area *area = areas_->chosen();
    if (!area)
        return;
    Area next = *area;
    change(next);
    areas_->set(areas_->chosenIndex(), std::move(next), what, gesture);
}

void AreasPanel::changeShape(const std::function<void(AreaShape &)> &change, const QString &what,
                             const QString &gesture)
{
    changeArea(
        [&](Area &area) {
            if (!area.shapes.empty())
                change(area.shapes[size_t(areas_->chosenShape())]);
        },
        what, gesture);
}

void AreasPanel::addSetting(const QString &path)
{
    if (std::ranges::find(added_, path.toStdString()) == added_.end())
        added_.push_back(path.toStdString());
    refreshAmounts();
    if (ValueSlider *slider = amount(path))
        slider->track()->setFocus();
}

void AreasPanel::fillSettingsMenu()
{
    settingsMenu_->clear();
    QHash<QString, QMenu *> groups;
    const Recipe now = document_->isOpen() ? document_->recipe() : Recipe();
    if (const AreaAmounts before = areas_->amountsBefore(areas_->chosenIndex()); !before.empty()) {
        settingsMenu_->addAction(tr("As the area before"), this, [this, before] {
            changeArea([&](Area &a) { (outside_ ? a.outside : a.amounts) = before; },
                       tr("settings of the area before"));
        });
        settingsMenu_->addSeparator();
    }
    forEachLocalField([&](const auto &section, const auto &field) {
        if constexpr (requires { section.of(now); })
            if (!yolk::isVisible(section.of(now), field))
                return;
        QMenu *&group = groups[words(field.group)];
        if (!group)
            group = settingsMenu_->addMenu(words(field.group));
        const QString path = QString::fromStdString(pathOf(section, field));
        group->addAction(words(field.name), this, [this, path] { addSetting(path); });
    });
}

void AreasPanel::refresh()
{
    const Area *area = document_->isOpen() ? areas_->chosen() : nullptr;
    for (QWidget *widget : {static_cast<QWidget *>(listButtons_), static_cast<QWidget *>(look_)})
        widget->setVisible(area);
    listGroup_->setVisible(document_->isOpen() && !areas_->all().empty());
    settingsGroup_->setVisible(area);
    shapeGroup_->setVisible(area && !area->shapes.empty());
    refreshList();
    refreshAmounts();
    refreshShape();
}

void AreasPanel::refreshList()
{
    if (!document_->isOpen())
        return;
    filling_ = true;
    const int count = int(areas_->all().size());
    while (list_->count() > count)
        delete list_->takeItem(list_->count() - 1);
    while (list_->count() < count) {
        auto *item = new QListWidgetItem(list_);
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable | Qt::ItemIsEditable);
    }
    for (int i = 0; i < count; ++i) {
        const Area &area = areas_->all()[size_t(i)];
        QListWidgetItem *item = list_->item(i);
        item->setText(areas_->nameOf(i));
        QStringList beside; // what is cut off first comes last
        if (area.strength != 100.0)
            beside << tr("%1 %").arg(area.strength, 0, 'f', 0);
        if (!area.group.empty())
            beside << QString::fromStdString(area.group);
        item->setData(kStrengthRole, beside.join(QStringLiteral("  ")));
        const QImage small = areas_->picture(i);
        item->setIcon(small.isNull() ? QIcon() : QIcon(QPixmap::fromImage(small)));
        item->setCheckState(area.on ? Qt::Checked : Qt::Unchecked);
        item->setToolTip(tr("%1 at %2 %").arg(amountsText(area)).arg(area.strength, 0, 'f', 0));
    }
    list_->setCurrentRow(areas_->chosenIndex());
    constexpr int kShown = 6; // rows
    const int rows = std::clamp(count, 1, kShown), height = list_->sizeHintForRow(0);
    list_->setFixedHeight(rows * std::max(height, 20) + 2 * list_->frameWidth() + 2);
    filling_ = false;
}

void AreasPanel::refreshAmounts()
{
    const Area *area = document_->isOpen() ? areas_->chosen() : nullptr;
    if (!area)
        return;
    strength_->setValue(area->strength);
    side_->setIndex(outside_ ? 1 : 0);
    const AreaAmounts &amounts = shownAmounts(*area);
    QList<QString> wanted;
    forEachLocalField([&](const auto &section, const auto &field) {
        const std::string path = pathOf(section, field);
        const auto at = amounts.find(path);
        const bool moved = at != amounts.end() && at->second != 0.0;
        const QString key = QString::fromStdString(path);
        const bool asked = moved || std::ranges::find(added_, path) != added_.end();
        if (!asked)
            return;
        wanted << key;
        if (std::ranges::find(added_, path) == added_.end())
            added_.push_back(path); // it stays while this area is worked on, though it comes back to 0
        ValueSlider *&slider = amounts_[key];
        if (!slider) {
            SliderSpec spec = sliderSpec(field);
            spec.maximum = localReach(field);
            spec.minimum = -spec.maximum;
            spec.neutral = 0.0;
            slider = new ValueSlider(spec, amountsBox_);
            connect(slider, &ValueSlider::changed, this,
                    [this, path, name = words(field.name)](double value, const QString &gesture) {
                        changeArea([&](Area &a) { (outside_ ? a.outside : a.amounts)[path] = value; },
                                   tr("%1 of an area").arg(name), gesture);
                    });
            amountsColumn_->addWidget(slider);
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

void AreasPanel::refreshShape()
{
    const Area *area = document_->isOpen() ? areas_->chosen() : nullptr;
    const AreaShape *shape = area && !area->shapes.empty() ? &area->shapes[size_t(areas_->chosenShape())] : nullptr;
    brushGroup_->setVisible(shape && isBrush(*shape));
    if (!shape)
        return;
    const int count = int(area->shapes.size());
    if (!which_ || which_->property("count").toInt() != count) {
        if (which_) {
            which_->hide();
            which_->deleteLater();
            which_ = nullptr;
        }
        if (count > 1) {
            QList<ChoiceRow::Item> items;
            for (int i = 0; i < count; ++i)
                items << ChoiceRow::Item{QString::number(i + 1), tr("Shape %1 of this area").arg(i + 1)};
            constexpr int kColumns = 6;
            which_ = new ChoiceRow(tr("Shape"), items, this, kColumns);
            which_->setProperty("count", count);
            connect(which_, &ChoiceRow::chosen, areas_, &Areas::chooseShape);
            shapeGroup_->addFirst(which_);
        }
    }
    if (which_)
        which_->setIndex(areas_->chosenShape());
    meets_->setVisible(areas_->chosenShape() > 0);
    for (size_t i = 0; i < kMeetings.size(); ++i)
        if (kMeetings[i].value == shape->meets)
            meets_->setIndex(int(i));
    removeShape_->setVisible(count > 1);
    for (const auto &show : shapeShown_)
        show(*shape);
    shapeGroup_->setName(tr("Shape: %1").arg(Areas::kindName(shape->kind).toLower()));
    for (const auto &show : brushShown_)
        show(brush_->brush());
}

} // namespace yolk::app
