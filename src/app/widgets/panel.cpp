#include "widgets/panel.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>

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

QWidget *sideBySide(QPushButton *left, QPushButton *right, QWidget *parent)
{
    auto *out = new QWidget(parent);
    auto *row = new QHBoxLayout(out);
    row->setContentsMargins(0, 0, 0, 0);
    row->addWidget(left);
    row->addWidget(right);
    return out;
}

void makeField(QLineEdit *edit)
{
    edit->setStyleSheet(
        QStringLiteral("QLineEdit { background: palette(base); border: 1px solid palette(mid); border-radius: 3px; "
                       "padding: 3px 5px; }"));
}

QLabel *quiet(const QString &text, QWidget *parent)
{
    auto *out = new QLabel(text, parent);
    out->setWordWrap(true);
    out->setForegroundRole(QPalette::PlaceholderText);
    return out;
}

} // namespace yolk::app
