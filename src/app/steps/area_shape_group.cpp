#include "steps/area_shape_group.h"

#include <QMenu>
#include <QPushButton>
#include <QToolButton>

namespace yolk::app {

AreaShapeGroup::AreaShapeGroup(Document *document, QWidget *parent)
    : FoldGroup(tr("Shape"), parent), document_(document), areas_(document->areas()),
      controls_(this, [this](const StructControls<AreaShape>::Edit &edit, const QString &what,
                             const QString &gesture) { areas_->changeShape(edit, what, gesture); }),
      meets_(choiceRow(fieldOf<kShapeFields, &AreaShape::meets>(), this)), addShape_(new QToolButton(this)),
      removeShape_(new QPushButton(tr("Remove this shape"), this)), menu_(new QMenu(this))
{
    add(meets_);
    forEachField(kShapeFields, [&](const auto &field) {
        if constexpr (!IsChoice<
                          std::remove_cvref_t<decltype(field)>>) // what it is, and how it meets others, has its own
            if (QWidget *control = controls_.make(field))
                add(control);
    });
    addShape_->setText(tr("Add a shape"));
    addShape_->setToolTip(tr("A further shape that joins the area, cuts it or meets it."));
    addShape_->setMenu(menu_);
    addShape_->setPopupMode(QToolButton::InstantPopup);
    addShape_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    removeShape_->setToolTip(tr("The area goes on without the chosen shape."));
    add(addShape_);
    add(removeShape_);
    for (const Choice<Meets> &meets : kMeetings) {
        QMenu *kinds = menu_->addMenu(words(meets.name));
        for (const Choice<ShapeKind> &kind : kShapeKinds)
            kinds->addAction(words(kind.name), this, [this, &meets, &kind] {
                areas_->change(
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
        areas_->change(
            [this](Area &area) {
                if (area.shapes.size() > 1)
                    area.shapes.erase(area.shapes.begin() + areas_->chosenShape());
            },
            tr("remove a shape"));
    });
    connect(meets_, &ChoiceRow::chosen, this, [this](int index) {
        areas_->changeShape([index](AreaShape &s) { s.meets = kMeetings[size_t(index)].value; }, tr("how shapes meet"));
    });
    connect(areas_, &Areas::changed, this, &AreaShapeGroup::refresh);
    connect(areas_, &Areas::chosenChanged, this, &AreaShapeGroup::refresh);
    refresh();
}

void AreaShapeGroup::refresh()
{
    const Area *area = document_->isOpen() ? areas_->chosen() : nullptr;
    setVisible(area && !area->shapes.empty());
    if (isHidden())
        return;
    const AreaShape &shape = area->shapes[size_t(areas_->chosenShape())];
    const int count = int(area->shapes.size());
    chooseAmong(count);
    meets_->setVisible(areas_->chosenShape() > 0);
    for (size_t i = 0; i < kMeetings.size(); ++i)
        if (kMeetings[i].value == shape.meets)
            meets_->setIndex(int(i));
    removeShape_->setVisible(count > 1);
    controls_.show(shape);
    setName(tr("Shape: %1").arg(Areas::kindName(shape.kind).toLower()));
}

void AreaShapeGroup::chooseAmong(int count)
{
    const int shown = which_ ? which_->count() : 1;
    if (shown != count && which_) {
        which_->hide();
        which_->deleteLater();
        which_ = nullptr;
    }
    if (count > 1 && !which_) {
        QList<ChoiceRow::Item> items;
        for (int i = 0; i < count; ++i)
            items << ChoiceRow::Item{QString::number(i + 1), tr("Shape %1 of this area").arg(i + 1)};
        constexpr int kColumns = 6;
        which_ = new ChoiceRow(tr("Shape"), items, this, kColumns);
        connect(which_, &ChoiceRow::chosen, areas_, &Areas::chooseShape);
        addFirst(which_);
    }
    if (which_)
        which_->setIndex(areas_->chosenShape());
}

} // namespace yolk::app
