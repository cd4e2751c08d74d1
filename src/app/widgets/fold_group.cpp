#include "widgets/fold_group.h"

#include "theme/theme.h"

#include <QCheckBox>
#include <QFrame>
#include <QToolButton>
#include <QVBoxLayout>

namespace yolk::app {

FoldGroup::FoldGroup(const QString &name, QWidget *parent) : QWidget(parent)
{
    heading_ = new QToolButton(this);
    heading_->setText(name);
    heading_->setCheckable(true);
    heading_->setChecked(true);
    heading_->setToolTip(tr("Fold or unfold this group."));
    heading_->setAccessibleName(tr("Group %1").arg(name));
    heading_->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    heading_->setLayoutDirection(Qt::RightToLeft); // the arrow stands at the right end
    heading_->setFocusPolicy(Qt::TabFocus);
    heading_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    heading_->setFont(bold);
    heading_->setStyleSheet(
        QStringLiteral("QToolButton, QToolButton:checked { background: transparent; color: palette(window-text);"
                       " text-align: left; padding: 3px 0px; }"));
    body_ = new QWidget(this);
    layout_ = new QVBoxLayout(body_);
    layout_->setContentsMargins(0, 0, 0, 6);
    layout_->setSpacing(4);
    auto *outer = new QVBoxLayout(this);
    outer->setContentsMargins(0, 0, 0, 0);
    outer->setSpacing(0);
    top_ = new QHBoxLayout;
    top_->setContentsMargins(0, 0, 0, 0);
    top_->setSpacing(4);
    top_->addWidget(heading_, 1);
    outer->addLayout(top_);
    outer->addWidget(body_);
    auto *line = new QFrame(this);
    line->setFrameShape(QFrame::HLine);
    line->setFixedHeight(1);
    line->setStyleSheet(QStringLiteral("background: palette(mid); border: none;"));
    outer->addWidget(line);
    connect(heading_, &QToolButton::toggled, this, &FoldGroup::showState);
    connect(&Theme::instance(), &Theme::changed, this, &FoldGroup::showState);
    showState();
}

void FoldGroup::addFirst(QWidget *widget)
{
    layout_->insertWidget(0, widget);
}

void FoldGroup::addAfter(QWidget *before, QWidget *widget)
{
    layout_->insertWidget(layout_->indexOf(before) + 1, widget);
}

void FoldGroup::add(QWidget *widget)
{
    layout_->addWidget(widget);
}

void FoldGroup::addSwitch()
{
    switch_ = new QCheckBox(this);
    switch_->setToolTip(tr("Switches this group off and on; its settings stay."));
    switch_->setAccessibleName(tr("%1 on").arg(heading_->text()));
    return_ = new QToolButton(heading_); // beside its arrow
    return_->setFixedSize(24, 22);
    return_->setStyleSheet(QStringLiteral("QToolButton { background: transparent; border: none; }"
                                          "QToolButton:hover, QToolButton:focus { background: palette(midlight); }"));
    return_->setIcon(themedIcon(QStringLiteral("rotate-ccw")));
    return_->setFocusPolicy(Qt::TabFocus);
    return_->setToolTip(tr("Returns this group to its start."));
    return_->setAccessibleName(tr("%1 as at the start").arg(heading_->text()));
    auto *over = new QHBoxLayout(heading_);
    over->setContentsMargins(0, 0, 28, 0);
    over->addWidget(return_); // the heading runs from right to left
    over->addStretch();
    top_->insertWidget(0, switch_);
    connect(switch_, &QCheckBox::clicked, this, &FoldGroup::switched);
    connect(return_, &QToolButton::clicked, this, &FoldGroup::returnAsked);
    connect(&Theme::instance(), &Theme::changed, return_,
            [button = return_] { button->setIcon(themedIcon(QStringLiteral("rotate-ccw"))); });
}

void FoldGroup::showSwitch(bool on, bool changed)
{
    switch_->setChecked(on);
    return_->setVisible(changed);
    body_->setEnabled(on);
}

void FoldGroup::setName(const QString &name)
{
    heading_->setText(name);
    heading_->setAccessibleName(tr("Group %1").arg(name));
}

void FoldGroup::setOpen(bool open)
{
    heading_->setChecked(open);
}

void FoldGroup::showState()
{
    body_->setVisible(heading_->isChecked());
    heading_->setIcon(
        themedIcon(heading_->isChecked() ? QStringLiteral("chevron-down") : QStringLiteral("chevron-right")));
}

} // namespace yolk::app
