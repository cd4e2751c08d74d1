#include "sets/frames_strip.h"

#include "theme/theme.h"

#include <QApplication>
#include <QContextMenuEvent>
#include <QDrag>
#include <QFileInfo>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QPainter>

namespace yolk::app {
namespace {

constexpr int kGap = 6, kTitleHeight = 30, kPicture = 60, kMargin = 12;
constexpr QSize kFrame(96, 82);

} // namespace

SetFrame::SetFrame(const QString &path, QWidget *parent) : QAbstractButton(parent), path_(path)
{
    const QString name = QFileInfo(path).fileName();
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(name);
    setAccessibleDescription(tr("Control and up or down moves it to the set before or behind, N starts a set here."));
    setToolTip(
        tr("%1\nDrag it to another set; Ctrl+Up and Ctrl+Down move it to the set before or behind, N starts a new "
           "set here.")
            .arg(name));
    resize(sizeHint());
}

QString SetFrame::mime()
{
    return QStringLiteral("application/x-yolk-set-frame");
}

void SetFrame::setImage(const QImage &image)
{
    image_ = image;
    update();
}

void SetFrame::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    const QRect room(3, 3, width() - 6, kPicture);
    painter.fillRect(room, tokens().chrome);
    if (!image_.isNull()) {
        const QSizeF size = QSizeF(image_.size()).scaled(room.size(), Qt::KeepAspectRatio);
        painter.drawImage(
            QRectF(QPointF(room.center().x() + 0.5 - size.width() / 2, room.center().y() + 0.5 - size.height() / 2),
                   size),
            image_);
    }
    QFont small = font();
    small.setPixelSize(11);
    painter.setFont(small);
    painter.setPen(tokens().secondary);
    painter.drawText(
        QRect(3, kPicture + 5, width() - 6, 15), Qt::AlignCenter,
        painter.fontMetrics().elidedText(QFileInfo(path_).completeBaseName(), Qt::ElideMiddle, width() - 6));
    if (hasFocus()) {
        painter.setPen(QPen(tokens().text, 1));
        painter.drawRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5));
    }
}

void SetFrame::mousePressEvent(QMouseEvent *event)
{
    pressed_ = event->pos();
    QAbstractButton::mousePressEvent(event);
}

void SetFrame::mouseMoveEvent(QMouseEvent *event)
{
    if (!(event->buttons() & Qt::LeftButton) ||
        (event->pos() - pressed_).manhattanLength() < QApplication::startDragDistance())
        return;
    setDown(false);
    auto *dragged = new QMimeData;
    dragged->setData(mime(), path_.toUtf8());
    auto *drag = new QDrag(this);
    drag->setMimeData(dragged);
    drag->setPixmap(grab(QRect(3, 3, width() - 6, kPicture)));
    drag->exec(Qt::MoveAction);
}

void SetFrame::keyPressEvent(QKeyEvent *event)
{
    const bool control = event->modifiers() & Qt::ControlModifier;
    if (control && event->key() == Qt::Key_Up)
        return Q_EMIT moveAsked(-1);
    if (control && event->key() == Qt::Key_Down)
        return Q_EMIT moveAsked(+1);
    if (event->key() == Qt::Key_N)
        return Q_EMIT splitAsked();
    QAbstractButton::keyPressEvent(event);
}

void SetFrame::contextMenuEvent(QContextMenuEvent *event)
{
    QMenu menu(this);
    menu.addAction(tr("Move to the set before"), this, [this] { Q_EMIT moveAsked(-1); });
    menu.addAction(tr("Move to the set behind"), this, [this] { Q_EMIT moveAsked(+1); });
    menu.addAction(tr("Start a new set here"), this, &SetFrame::splitAsked);
    menu.exec(event->globalPos());
}

FramesStrip::FramesStrip(Collection *collection, QWidget *parent)
    : QScrollArea(parent), collection_(collection), content_(new QWidget(this)), heading_(new QLabel(content_))
{
    setObjectName(QStringLiteral("framesStrip"));
    setFrameShape(QFrame::NoFrame);
    setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setAccessibleName(tr("Frames of the set"));
    setWidget(content_);
    setFixedHeight(kTitleHeight + kFrame.height() + 2 * kGap + 8);
    connect(collection, &Collection::changed, this, [this] { show(-1); });
    connect(collection, &Collection::thumbnailsChanged, this, &FramesStrip::showThumbnails);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
    rebuild();
}

void FramesStrip::show(int set)
{
    const QStringList paths = set >= 0 && set < collection_->sets().size() ? collection_->sets()[set] : QStringList();
    if (set == set_ && paths == paths_)
        return;
    set_ = set;
    paths_ = paths;
    collection_->wantFrames(set);
    rebuild();
}

void FramesStrip::rebuild()
{
    for (SetFrame *frame : frames_) {
        frame->hide();
        frame->deleteLater(); // one of them may have sent the change
    }
    frames_.clear();
    heading_->setText(
        paths_.isEmpty()
            ? tr("Choose a set to see its frames.")
            : tr("<b>Set %1</b>&nbsp;&nbsp; %2. Drag a frame onto another set, or beside all to make a new one.")
                  .arg(set_ + 1)
                  .arg(collection_->title(set_)));
    heading_->adjustSize();
    heading_->move(kMargin, 7);
    int x = kMargin;
    for (const QString &path : paths_) {
        auto *frame = new SetFrame(path, content_);
        frame->setImage(collection_->thumbnail(path));
        connect(frame, &SetFrame::moveAsked, this, [this, path, set = set_](int direction) {
            if (set + direction >= 0)
                collection_->move(path, set + direction);
        });
        connect(frame, &SetFrame::splitAsked, this, [this, path] { collection_->splitAt(path); });
        frame->move(x, kTitleHeight);
        frame->QWidget::show();
        x += kFrame.width() + kGap;
        frames_ << frame;
    }
    content_->resize(std::max(x + kMargin, heading_->geometry().right() + kMargin),
                     kTitleHeight + kFrame.height() + kGap);
}

void FramesStrip::showThumbnails()
{
    for (SetFrame *frame : frames_)
        frame->setImage(collection_->thumbnail(frame->path()));
}

} // namespace yolk::app
