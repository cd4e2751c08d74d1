#include "widgets/fold_group.h"

#include "theme/theme.h"

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
    outer->addWidget(heading_);
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

void FoldGroup::add(QWidget *widget)
{
    layout_->addWidget(widget);
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
