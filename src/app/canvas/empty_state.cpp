#include "canvas/empty_state.h"

#include <QBoxLayout>
#include <QLabel>
#include <QPushButton>

namespace yolk::app {

EmptyState::EmptyState(bool demoAvailable, QWidget *parent) : QFrame(parent), demoAvailable_(demoAvailable)
{
    setObjectName(QStringLiteral("emptyState"));
    setAutoFillBackground(true);
    setStyleSheet(QStringLiteral("#emptyState { background: palette(alternate-base); border-radius: 10px; }"));
    setFixedWidth(430);
    heading_ = new QLabel(this);
    QFont large = font();
    large.setPixelSize(19);
    large.setWeight(QFont::DemiBold);
    heading_->setFont(large);
    words_ = new QLabel(this);
    words_->setWordWrap(true);
    open_ = new QPushButton(tr("Open frames…"), this);
    demo_ = new QPushButton(tr("Open the demo bracket"), this);
    auto *buttons = new QHBoxLayout;
    buttons->setSpacing(8);
    buttons->addWidget(open_);
    buttons->addWidget(demo_);
    buttons->addStretch();
    auto *layout = new QVBoxLayout(this);
    layout->setContentsMargins(28, 24, 28, 24);
    layout->setSpacing(12);
    layout->addWidget(heading_);
    layout->addWidget(words_);
    layout->addLayout(buttons);
    connect(open_, &QPushButton::clicked, this, &EmptyState::openAsked);
    connect(demo_, &QPushButton::clicked, this, &EmptyState::demoAsked);
    setReading({});
}

void EmptyState::setReading(const QString &what)
{
    const bool waiting = what.isEmpty();
    heading_->setText(waiting ? tr("Drop the frames of one scene here") : what + QStringLiteral("…"));
    words_->setText(
        waiting ? tr("Two frames or more, taken at different exposures: JPEG, TIFF or PNG. They are sorted, merged and "
                     "shown at once; the files themselves are never changed.")
                : tr("The first picture comes in a moment."));
    open_->setVisible(waiting);
    demo_->setVisible(waiting && demoAvailable_);
    adjustSize();
}

} // namespace yolk::app
