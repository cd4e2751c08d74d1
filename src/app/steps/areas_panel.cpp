#include "steps/areas_panel.h"

#include "drawing/area_text.h"
#include "steps/area_settings_group.h"
#include "steps/area_shape_group.h"
#include "steps/brush_group.h"

#include <QGridLayout>
#include <QInputDialog>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QStyledItemDelegate>

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
      look_(new ChoiceRow(tr("Show the area"), lookItems(), this, 3))
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

    settings_ = new AreaSettingsGroup(document, this);
    add(settings_);
    brushGroup_ = new BrushGroup(brush_, this);
    add(brushGroup_);
    shapes_ = new AreaShapeGroup(document, this);
    add(shapes_);
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
    connect(areas_, &Areas::changed, this, &AreasPanel::refresh);
    connect(areas_, &Areas::picturesChanged, this, &AreasPanel::refreshList);
    connect(areas_, &Areas::lookChanged, this, [this] { look_->setIndex(int(areas_->look())); });
    connect(areas_, &Areas::chosenChanged, this, [this] {
        refresh();
        Q_EMIT toolChanged();
    });
    look_->setIndex(0);
    refresh();
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

void AreasPanel::refresh()
{
    const Area *area = document_->isOpen() ? areas_->chosen() : nullptr;
    for (QWidget *widget : {static_cast<QWidget *>(listButtons_), static_cast<QWidget *>(look_)})
        widget->setVisible(area);
    listGroup_->setVisible(document_->isOpen() && !areas_->all().empty());
    brushGroup_->setVisible(area && !area->shapes.empty() && isBrush(area->shapes[size_t(areas_->chosenShape())]));
    refreshList();
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

} // namespace yolk::app
