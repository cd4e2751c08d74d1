#include "steps/frame_row.h"

#include "theme/theme.h"
#include "widgets/number_text.h"

#include <QCheckBox>
#include <QContextMenuEvent>
#include <QCoreApplication>
#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QLocale>
#include <QMenu>
#include <QPainter>

#include <cmath>

namespace yolk::app {
namespace {

constexpr QSize kThumbnail(69, 46);

QString exposureText(const Metadata &m)
{
    QStringList parts;
    if (m.exposureSeconds)
        parts << shutterText(m);
    if (m.fNumber)
        parts << QStringLiteral("f/") + QLocale().toString(*m.fNumber, 'g', 3);
    if (m.iso)
        parts << QStringLiteral("ISO %1").arg(*m.iso);
    return parts.isEmpty() ? QCoreApplication::translate("FrameRow", "no exposure data")
                           : parts.join(QStringLiteral("  "));
}

QPixmap pictureFor(const QImage &thumbnail, qreal ratio)
{
    QPixmap out(kThumbnail * ratio);
    out.setDevicePixelRatio(ratio);
    out.fill(tokens().chrome);
    if (thumbnail.isNull())
        return out;
    QPainter painter(&out);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    const QSizeF size = QSizeF(thumbnail.size()).scaled(kThumbnail, Qt::KeepAspectRatioByExpanding);
    painter.drawImage(
        QRectF(QPointF((kThumbnail.width() - size.width()) / 2, (kThumbnail.height() - size.height()) / 2), size),
        thumbnail);
    return out;
}

QLabel *smallLabel(QWidget *parent)
{
    auto *label = new QLabel(parent);
    QFont small = label->font();
    small.setPixelSize(12);
    label->setFont(small);
    label->setForegroundRole(QPalette::PlaceholderText); // the theme's secondary text
    return label;
}

constexpr double kLeastShare = 0.0005; // what shows as 0.1 percent

/// Short: a row has little room.
QString shareText(double share)
{
    return share < kLeastShare ? QStringLiteral("<%1 %").arg(QLocale().toString(0.1, 'f', 1))
           : share < 0.0995    ? QLocale().toString(100.0 * share, 'f', 1) + QStringLiteral(" %")
                               : QStringLiteral("%1 %").arg(std::lround(100.0 * share));
}

QString sourceText(const BracketFrame &f)
{
    const auto tr = [](const char *text) { return QCoreApplication::translate("FrameRow", text); };
    if (f.exposureTyped)
        return tr("typed");
    switch (f.measured.source) {
    case ExposureSource::Refined:
        return tr("refined");
    case ExposureSource::Corrected:
        return tr("corrected");
    case ExposureSource::Estimated:
        return tr("estimated");
    case ExposureSource::Assumed:
        return tr("assumed");
    case ExposureSource::Stated:
        break;
    }
    return {};
}

/// What metadata, picture and photographer say of the exposure.
QString exposureFacts(const BracketFrame &f)
{
    const auto tr = [](const char *text) { return QCoreApplication::translate("FrameRow", text); };
    const MeasuredFrame &m = f.measured;
    const double anchorEv = f.ev - std::log2(f.exposure); // EV of a relative exposure of 1
    QStringList lines;
    if (m.stated)
        lines << tr("By its data: %1").arg(evText(anchorEv + std::log2(*m.stated)));
    if (m.stated && m.pictureSays != 0.0)
        lines << tr("By the picture: %1").arg(evText(anchorEv + std::log2(*m.stated) + m.pictureSays));
    if (!m.stated && m.source == ExposureSource::Estimated)
        lines << tr("By the picture: %1, within %2 EV")
                     .arg(evText(anchorEv + std::log2(m.exposure)), QLocale().toString(m.uncertainty, 'f', 2));
    lines << tr("Type a value to set it; empty the field to return to the measured one.");
    return lines.join(QLatin1Char('\n'));
}

} // namespace

FrameRow::FrameRow(QWidget *parent) : QWidget(parent)
{
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Frame")); // until it shows one
    use_ = new QCheckBox(this);
    use_->setToolTip(tr("Merge this frame, or leave it out. The file stays as it is."));
    picture_ = new QLabel(this);
    picture_->setFixedSize(kThumbnail);
    exposure_ = new QLabel(this);
    ev_ = new QLineEdit(this);
    ev_->setFixedSize(60, 19);
    ev_->setTextMargins(-4, 0, 0, 0); // its text stands under the shutter time
    source_ = smallLabel(this);
    shares_ = smallLabel(this);
    notices_ = smallLabel(this);
    notices_->setWordWrap(true);
    for (QLabel *label : {exposure_, source_, shares_}) // long values never widen the panel
        label->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred);
    auto *second = new QHBoxLayout;
    second->setSpacing(7);
    second->addWidget(ev_);
    second->addWidget(source_, 1);
    auto *lines = new QVBoxLayout;
    lines->setSpacing(0);
    lines->addWidget(exposure_);
    lines->addLayout(second);
    lines->addWidget(shares_);
    auto *top = new QHBoxLayout;
    top->setSpacing(8);
    top->addWidget(use_);
    top->addWidget(picture_);
    top->addLayout(lines, 1);
    auto *layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 4, 0, 4);
    layout->setSpacing(2);
    layout->addLayout(top);
    auto *under = new QHBoxLayout; // a label's own margins go when the theme changes
    under->setContentsMargins(22, 0, 0, 0);
    under->addWidget(notices_);
    layout->addLayout(under);
    connect(use_, &QCheckBox::clicked, this, &FrameRow::useChanged);
    connect(ev_, &QLineEdit::editingFinished, this, &FrameRow::takeTyped);
}

void FrameRow::show(const BracketFrame &f, const Shown &shown)
{
    const QString name = QString::fromStdString(f.frame->name);
    lookedAt_ = shown.lookedAt;
    usable_ = f.usable;
    used_ = f.used;
    typed_ = f.exposureTyped;
    reference_ = shown.reference;
    use_->setChecked(f.used);
    use_->setEnabled(f.usable);
    use_->setAccessibleName(tr("Use frame %1, %2").arg(f.number).arg(name));
    setAccessibleName(tr("Frame %1, %2").arg(f.number).arg(name));
    setAccessibleDescription(tr("Enter shows it large, R makes it the reference, Delete takes it out of the set."));
    picture_->setPixmap(pictureFor(shown.thumbnail, devicePixelRatioF()));
    const bool radiance = f.frame->isRadiance();
    exposure_->setText(QStringLiteral("<b>%1</b>&nbsp;&nbsp;%2")
                           .arg(f.number)
                           .arg((radiance ? tr("merged radiance") : exposureText(f.frame->metadata)).toHtmlEscaped()));
    ev_->setVisible(!radiance);
    evShown_ = evText(f.ev);
    if (!ev_->hasFocus() || !ev_->isModified())
        ev_->setText(evShown_);
    ev_->setEnabled(f.usable);
    ev_->setAccessibleName(tr("Exposure of frame %1").arg(f.number));
    ev_->setToolTip(exposureFacts(f));
    const QString source = radiance ? QString() : sourceText(f);
    source_->setText(shown.reference && !radiance ? tr("reference") : source); // the tooltip of the field says the rest
    const QString clipped =
        f.measured.clippedShare > 0.0 ? tr("%1 clipped").arg(shareText(f.measured.clippedShare)) : tr("no clipping");
    const QString drowned =
        f.measured.darkShare >= kLeastShare ? tr("%1 noise").arg(shareText(f.measured.darkShare)) : tr("clean");
    shares_->setText(clipped + QStringLiteral(" · ") + drowned);
    shares_->setVisible(!radiance && f.usable);
    const QString all =
        tr("%1\n%2 x %3 pixels, %4, %5\nClick to see it large")
            .arg(name)
            .arg(f.frame->width)
            .arg(f.frame->height)
            .arg(QString::fromStdString(f.frame->format), QString::fromStdString(f.frame->codeValues.name));
    for (QWidget *w : {static_cast<QWidget *>(picture_), static_cast<QWidget *>(exposure_)})
        w->setToolTip(all);
    shares_->setToolTip(
        tr("Clipped: share of the picture with some channel at its end. Noise: share below the noise, which is "
           "%1.")
            .arg(f.measured.noiseSource == NoiseSource::FromPicture ? tr("measured on the picture")
                 : f.measured.noiseSource == NoiseSource::GainOnly
                     ? tr("measured on the picture, but for reading the sensor")
                     : tr("taken from a usual sensor at this ISO")));
    QStringList notices;
    for (const std::string &notice : f.notices)
        notices << QStringLiteral("\u26A0 ") + QString::fromStdString(notice);
    notices_->setText(notices.join(QLatin1Char('\n')));
    notices_->setVisible(!notices.isEmpty());
    // The panel is as wide as it is: the lines are counted here, since the rows are laid out by their size hints.
    constexpr int kNoticeWidth = 250;
    notices_->setMinimumHeight(notices.isEmpty() ? 0 : notices_->heightForWidth(kNoticeWidth));
    update();
}

void FrameRow::takeTyped()
{
    QString text = ev_->text().trimmed();
    ev_->setModified(false);
    if (text == evShown_)
        return;
    if (text.isEmpty()) {
        ev_->setText(evShown_);
        Q_EMIT evTyped(std::nullopt);
        return;
    }
    text.remove(QStringLiteral("EV"), Qt::CaseInsensitive);
    text.replace(QChar(0x2212), QLatin1Char('-'));
    bool good = false;
    double ev = QLocale().toDouble(text.trimmed(), &good);
    if (!good)
        ev = QLocale::c().toDouble(text.trimmed(), &good);
    if (good && std::abs(ev) <= 25.0)
        Q_EMIT evTyped(ev);
    else
        ev_->setText(evShown_);
}

void FrameRow::paintEvent(QPaintEvent *)
{
    if (!lookedAt_ && !hasFocus())
        return;
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(hasFocus() ? QPen(tokens().secondary, 1) : QPen(Qt::NoPen));
    painter.setBrush(lookedAt_ ? tokens().field : QColor(Qt::transparent));
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 5, 5);
}

void FrameRow::mousePressEvent(QMouseEvent *event)
{
    if (event->button() == Qt::LeftButton)
        Q_EMIT lookAsked();
}

void FrameRow::keyPressEvent(QKeyEvent *event)
{
    switch (event->key()) {
    case Qt::Key_Return:
    case Qt::Key_Enter:
        return Q_EMIT lookAsked();
    case Qt::Key_Space:
        return usable_ ? Q_EMIT useChanged(!used_) : void();
    case Qt::Key_R:
        return Q_EMIT referenceAsked();
    case Qt::Key_Delete:
        return Q_EMIT removeAsked();
    case Qt::Key_Down:
        return Q_EMIT stepAsked(+1);
    case Qt::Key_Up:
        return Q_EMIT stepAsked(-1);
    default:
        QWidget::keyPressEvent(event);
    }
}

void FrameRow::contextMenuEvent(QContextMenuEvent *event)
{
    QMenu menu(this);
    menu.addAction(tr("See it large"), this, &FrameRow::lookAsked);
    QAction *reference = menu.addAction(tr("Make it the reference"), this, &FrameRow::referenceAsked);
    reference->setEnabled(used_ && !reference_);
    QAction *measured = menu.addAction(tr("Exposure as measured"), this, [this] { Q_EMIT evTyped(std::nullopt); });
    measured->setEnabled(typed_);
    menu.addSeparator();
    menu.addAction(tr("Take it out of the set"), this, &FrameRow::removeAsked);
    menu.exec(event->globalPos());
}

} // namespace yolk::app
