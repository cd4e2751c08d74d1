#include "status_line.h"

#include "widgets/number_text.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>
#include <QProgressBar>
#include <QTimer>
#include <QToolButton>

#include <algorithm>
#include <cmath>

namespace yolk::app {

StatusLine::StatusLine(Document *document, QWidget *parent) : QWidget(parent), document_(document)
{
    setFixedHeight(26);
    zoom_ = new QLabel(this);
    zoom_->setMinimumWidth(86);
    pixel_ = new QLabel(this);
    job_ = new QLabel(this);
    progress_ = new QProgressBar(this);
    progress_->setFixedSize(130, 6);
    progress_->setTextVisible(false);
    progress_->setRange(0, 1000);
    progress_->setAccessibleName(tr("Progress"));
    cancel_ = new QToolButton(this);
    cancel_->setText(tr("Cancel"));
    cancel_->setToolTip(tr("Stops the work that is under way; nothing that was done is lost."));
    cancel_->setStyleSheet(QStringLiteral("padding: 0px 8px;"));
    for (QLabel *label : {zoom_, pixel_, job_}) {
        QFont f = font();
        f.setPixelSize(12);
        label->setFont(f);
    }
    auto *layout = new QHBoxLayout(this);
    layout->setContentsMargins(16, 0, 12, 2);
    layout->setSpacing(10);
    layout->addWidget(zoom_);
    layout->addWidget(pixel_);
    layout->addStretch();
    layout->addWidget(job_);
    layout->addWidget(progress_);
    layout->addWidget(cancel_);
    connect(cancel_, &QToolButton::clicked, document, &Document::cancelJobs);
    connect(document, &Document::jobsChanged, this, &StatusLine::showJobs);
    saying_.setSingleShot(true);
    connect(&saying_, &QTimer::timeout, this, [this] {
        said_.clear();
        showJobs();
    });
    showJobs();
}

void StatusLine::setZoom(double zoom, bool fitted)
{
    const QString percent = QLocale().toString(zoom * 100.0, 'f', zoom < 0.1 ? 1 : 0);
    zoom_->setText(!document_->isOpen() ? QString() : fitted ? tr("Fit %1 %").arg(percent) : tr("%1 %").arg(percent));
}

void StatusLine::setAboutPicture(bool on)
{
    zoom_->setVisible(on);
    pixel_->setVisible(on);
}

void StatusLine::setReading(const std::optional<Reading> &reading)
{
    if (!reading || !reading->probe)
        return pixel_->clear();
    const auto number = [](float v) { return QLocale().toString(double(v), 'g', 3); };
    const Probe &probe = *reading->probe;
    QString words =
        tr("x %1  y %2   scene %3 EV  R %4  G %5  B %6")
            .arg(int(reading->at.x()))
            .arg(int(reading->at.y()))
            .arg(signedNumber(probe.ev, 1), number(probe.rgb[0]), number(probe.rgb[1]), number(probe.rgb[2]));
    if (const QColor &c = reading->output; c.isValid()) {
        const auto percent = [](int code) { return std::lround(code / 2.55); };
        words += tr("   picture %1 %2 %3").arg(c.red()).arg(c.green()).arg(c.blue());
        words += tr("   %1 %2 %3 %").arg(percent(c.red())).arg(percent(c.green())).arg(percent(c.blue()));
    }
    pixel_->setText(words);
}

QString StatusLine::reading() const
{
    return pixel_->text();
}

void StatusLine::say(const QString &message)
{
    said_ = message;
    saying_.stop();
    showJobs();
}

QString StatusLine::job() const
{
    return job_->text();
}

void StatusLine::showJobs()
{
    Lane *shown = nullptr;
    for (Lane *lane : document_->lanes())
        if (!shown && lane->busy() && !lane->title().isEmpty())
            shown = lane;
    progress_->setVisible(shown);
    cancel_->setVisible(shown);
    QString words = shown ? shown->title() : said_;
    if (const auto left = shown ? shown->secondsLeft() : std::nullopt)
        words += tr("  ·  %1 left").arg(durationText(*left));
    job_->setText(words);
    if (!shown) {
        constexpr int kWhile = 8000; // milliseconds, from when it can be read
        if (!said_.isEmpty() && !saying_.isActive())
            saying_.start(kWhile);
        return;
    }
    progress_->setUpdatesEnabled(false); // a new value would paint the whole window here and now
    progress_->setValue(int(std::lround(1000 * shown->progress())));
    progress_->setUpdatesEnabled(true);
}

} // namespace yolk::app
