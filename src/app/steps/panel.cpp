#include "steps/panel.h"

namespace yolk::app {

Panel::Panel(QWidget *parent) : QScrollArea(parent)
{
    setWidgetResizable(true);
    setFrameShape(QFrame::NoFrame);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setFocusPolicy(Qt::NoFocus);
    auto *content = new QWidget(this);
    column_ = new QVBoxLayout(content);
    column_->setContentsMargins(16, 6, 16, 10);
    column_->setSpacing(6);
    setWidget(content);
    content->setAutoFillBackground(false); // setWidget() switches it on; the column behind has the colour
    viewport()->setAutoFillBackground(false);
}

void Panel::add(QWidget *widget)
{
    column_->addWidget(widget);
}

} // namespace yolk::app
