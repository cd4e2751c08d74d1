#include "widgets/choice_row.h"

#include <QButtonGroup>
#include <QGridLayout>
#include <QToolButton>

namespace yolk::app {

ChoiceRow::ChoiceRow(const QString &name, const QList<Item> &items, QWidget *parent, int columns) : QWidget(parent)
{
    setAccessibleName(name);
    setStyleSheet(
        QStringLiteral("QToolButton:!checked { background: palette(window); } QToolButton { padding: 3px 4px; }"));
    auto *layout = new QGridLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(3);
    group_ = new QButtonGroup(this);
    for (int i = 0; i < items.size(); ++i) {
        auto *button = new QToolButton(this);
        button->setText(items[i].name);
        button->setToolTip(items[i].help + QLatin1Char('.'));
        button->setAccessibleName(name + QStringLiteral(": ") + items[i].name);
        button->setCheckable(true);
        button->setFocusPolicy(Qt::StrongFocus);
        button->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
        group_->addButton(button, i);
        layout->addWidget(button, columns ? i / columns : 0, columns ? i % columns : i);
    }
    connect(group_, &QButtonGroup::idClicked, this, &ChoiceRow::chosen);
}

void ChoiceRow::setIndex(int index)
{
    if (QAbstractButton *button = group_->button(index))
        return button->setChecked(true);
    group_->setExclusive(false); // none of them
    if (QAbstractButton *button = group_->checkedButton())
        button->setChecked(false);
    group_->setExclusive(true);
}

int ChoiceRow::index() const
{
    return group_->checkedId();
}

void ChoiceRow::setAvailable(int index, bool on)
{
    if (QAbstractButton *button = group_->button(index))
        button->setVisible(on);
}

int ChoiceRow::count() const
{
    return int(group_->buttons().size());
}

} // namespace yolk::app
