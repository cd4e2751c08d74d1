#include "steps/frames_panel.h"

#include "theme/theme.h"
#include "widgets/number_text.h"

#include <QCheckBox>
#include <QCoreApplication>
#include <QLabel>
#include <QLocale>
#include <QPainter>
#include <QPushButton>

namespace yolk::app {
namespace {

constexpr QSize kThumbnail(66, 44);

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

} // namespace

FrameRow::FrameRow(QWidget *parent) : QWidget(parent)
{
    use_ = new QCheckBox(this);
    use_->setToolTip(tr("Merge this frame, or leave it out. The file stays as it is."));
    picture_ = new QLabel(this);
    picture_->setFixedSize(kThumbnail);
    exposure_ = new QLabel(this);
    shares_ = smallLabel(this);
    notices_ = smallLabel(this);
    notices_->setWordWrap(true);
    auto *lines = new QVBoxLayout;
    lines->setSpacing(2);
    lines->addWidget(exposure_);
    lines->addWidget(shares_);
    lines->addStretch();
    auto *top = new QHBoxLayout;
    top->setSpacing(9);
    top->addWidget(use_);
    top->addWidget(picture_);
    top->addLayout(lines, 1);
    auto *layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 4, 0, 4);
    layout->setSpacing(3);
    layout->addLayout(top);
    layout->addWidget(notices_);
}

void FrameRow::show(const BracketFrame &f, bool reference, const QImage &thumbnail)
{
    const QString name = QString::fromStdString(f.frame->name);
    use_->setChecked(f.used);
    use_->setEnabled(f.usable);
    use_->setAccessibleName(tr("Use frame %1, %2").arg(f.number).arg(name));
    picture_->setPixmap(pictureFor(thumbnail, devicePixelRatioF()));
    exposure_->setText(
        QStringLiteral("<b>%1</b>&nbsp;&nbsp;%2").arg(f.number).arg(exposureText(f.frame->metadata).toHtmlEscaped()));
    shares_->setText(reference ? tr("%1 · reference").arg(evText(f.ev))
                               : tr("%1 · %2 clipped").arg(evText(f.ev), percentText(f.measured.clippedShare)));
    const QString all =
        tr("%1\n%2 x %3 pixels, %4, %5\n%6 clipped, %7 in the noise")
            .arg(name)
            .arg(f.frame->width)
            .arg(f.frame->height)
            .arg(QString::fromStdString(f.frame->format), QString::fromStdString(f.frame->codeValues.name),
                 percentText(f.measured.clippedShare), percentText(f.measured.darkShare));
    for (QWidget *w :
         {static_cast<QWidget *>(picture_), static_cast<QWidget *>(exposure_), static_cast<QWidget *>(shares_)})
        w->setToolTip(all);
    QStringList notices;
    for (const std::string &notice : f.notices)
        notices << QStringLiteral("\u26A0 ") + QString::fromStdString(notice);
    notices_->setText(notices.join(QLatin1Char('\n')));
    notices_->setVisible(!notices.isEmpty());
}

FramesPanel::FramesPanel(Document *document, QWidget *parent) : Panel(parent), document_(document)
{
    rows_ = new QWidget(this);
    rowLayout_ = new QVBoxLayout(rows_);
    rowLayout_->setContentsMargins(0, 0, 0, 0);
    rowLayout_->setSpacing(0);
    rows_->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum); // a single row must not fill the panel
    notices_ = new QLabel(this);
    notices_->setWordWrap(true);
    auto *more = new QPushButton(tr("Add frames…"), this);
    more->setToolTip(tr("Adds files to this set; its settings stay."));
    add(rows_);
    add(notices_);
    add(more);
    addStretch();
    connect(more, &QPushButton::clicked, this, &FramesPanel::addAsked);
    connect(document, &Document::bracketChanged, this, &FramesPanel::refresh);
    connect(document, &Document::thumbnailsChanged, this, &FramesPanel::refresh);
    connect(&Theme::instance(), &Theme::changed, this, &FramesPanel::refresh);
}

void FramesPanel::refresh()
{
    if (!document_->isOpen())
        return;
    const Bracket &bracket = document_->bracket();
    while (shown_.size() < qsizetype(bracket.frames.size())) {
        auto *row = new FrameRow(rows_);
        const size_t index = size_t(shown_.size());
        connect(row->use(), &QCheckBox::clicked, this, [this, index](bool used) { setUsed(index, used); });
        rowLayout_->addWidget(row);
        shown_ << row;
    }
    while (shown_.size() > qsizetype(bracket.frames.size()))
        delete shown_.takeLast();
    for (size_t i = 0; i < bracket.frames.size(); ++i)
        shown_[qsizetype(i)]->show(bracket.frames[i], i == bracket.reference,
                                   document_->thumbnail(bracket.frames[i].frame->id));
    QStringList lines;
    for (const std::string &notice : bracket.notices)
        lines << QStringLiteral("\u26A0 ") + QString::fromStdString(notice);
    notices_->setText(lines.join(QLatin1Char('\n')));
    notices_->setVisible(!lines.isEmpty());
}

void FramesPanel::setUsed(size_t index, bool used)
{
    const BracketFrame &frame = document_->bracket().frames[index];
    Recipe next = document_->recipe();
    if (used)
        next.frames.excluded.erase(frame.frame->id);
    else if (document_->bracket().used().size() > 1)
        next.frames.excluded.insert(frame.frame->id);
    document_->setRecipe(next,
                         used ? tr("use frame %1").arg(frame.number) : tr("leave out frame %1").arg(frame.number));
    refresh(); // the last frame cannot be left out: its mark comes back
}

} // namespace yolk::app
