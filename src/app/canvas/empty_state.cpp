#include "canvas/empty_state.h"

#include <QBoxLayout>
#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QLocale>
#include <QPushButton>

namespace yolk::app {
namespace {

/// Two columns under a heading: what is pressed, and what it is.
QGridLayout *listIn(QWidget *parent, const QString &heading)
{
    auto *rows = new QGridLayout(parent);
    rows->setContentsMargins(0, 8, 0, 0);
    rows->setHorizontalSpacing(12);
    rows->setVerticalSpacing(6);
    rows->setColumnStretch(1, 1);
    rows->addWidget(new QLabel(heading, parent), 0, 0, 1, 2);
    return rows;
}

} // namespace

EmptyState::EmptyState(const std::vector<DemoSet> &sets, QWidget *parent) : QFrame(parent)
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

    sets_ = new QWidget(this);
    sets_->setVisible(!sets.empty());
    QGridLayout *rows = listIn(sets_, tr("Or try Yolk on a henhouse at sunrise:"));
    for (const DemoSet &set : sets) {
        auto *button = new QPushButton(set.name, sets_);
        auto *content = new QLabel(set.content, sets_);
        content->setForegroundRole(QPalette::PlaceholderText);
        button->setAccessibleDescription(set.content);
        const int row = rows->rowCount();
        rows->addWidget(button, row, 0);
        rows->addWidget(content, row, 1);
        connect(button, &QPushButton::clicked, this, [this, frames = set.frames] { Q_EMIT demoAsked(frames); });
    }

    auto *layout = new QVBoxLayout(this);
    layout->setContentsMargins(28, 24, 28, 24);
    layout->setSpacing(12);
    layout->addWidget(heading_);
    layout->addWidget(words_);
    layout->addWidget(open_, 0, Qt::AlignLeft);
    recent_ = new QWidget(this);
    recent_->hide();
    layout->addWidget(recent_);
    layout->addWidget(sets_);
    connect(open_, &QPushButton::clicked, this, &EmptyState::openAsked);
    setReading({});
}

void EmptyState::setRecent(const QList<RecentWork> &works)
{
    constexpr QSize kPicture(60, 40); // logical pixels
    QGridLayout *rows = listIn(recent_, tr("Go on with"));
    for (const RecentWork &work : works) {
        auto *button = new QPushButton(recent_);
        button->setIcon(QPixmap::fromImage(work.picture));
        button->setIconSize(kPicture);
        const QString when = QLocale().toString(work.when, tr("d MMM yyyy, HH:mm"));
        button->setAccessibleName(tr("Go on with %1").arg(work.title));
        button->setToolTip(QFileInfo(work.frames.front()).absolutePath());
        auto *words = new QLabel(work.title + QLatin1Char('\n') + when, recent_);
        words->setTextFormat(Qt::PlainText);
        const int row = rows->rowCount();
        rows->addWidget(button, row, 0);
        rows->addWidget(words, row, 1);
        connect(button, &QPushButton::clicked, this, [this, work] { Q_EMIT recentAsked(work); });
    }
    recent_->setVisible(!works.isEmpty());
    adjustSize();
}

void EmptyState::setReading(const QString &what)
{
    const bool waiting = what.isEmpty();
    heading_->setText(waiting ? tr("Drop the frames of one scene here") : what + QStringLiteral("…"));
    words_->setText(
        waiting ? tr("Two frames or more, taken at different exposures: raw, DNG, TIFF, JPEG or PNG. They are sorted, "
                     "merged and shown at once; the files themselves are never changed. A folder of many sets is "
                     "split into them.")
                : tr("The first picture comes in a moment."));
    open_->setVisible(waiting);
    sets_->setVisible(waiting && sets_->findChild<QPushButton *>());
    recent_->setVisible(waiting && recent_->findChild<QPushButton *>());
    adjustSize();
}

} // namespace yolk::app
