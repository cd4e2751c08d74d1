#include "steps/detail_pane.h"

#include "canvas/viewport.h"
#include "theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

namespace yolk::app {
namespace {

constexpr int kRestMilliseconds = 350; // longer than a pointer stands still on its way to the panel

} // namespace

DetailPane::DetailPane(Document *document, QWidget *parent) : QWidget(parent), document_(document)
{
    setFixedHeight(sizeHint().height());
    setFocusPolicy(Qt::StrongFocus);
    setCursor(Qt::OpenHandCursor);
    setAccessibleName(tr("Part at 100 %"));
    setToolTip(
        tr("The picture at 100 % where the pointer rested last. Drag it, or use the arrow keys, to see beside."));
    rest_.setSingleShot(true);
    connect(&rest_, &QTimer::timeout, this, [this] { setPlace(next_); });
    connect(document, &Document::viewReady, this, &DetailPane::ask); // settings, or the merge, are others
    connect(document, &Document::detailReady, this, [this](const ViewPicture &detail) {
        image_ = detail.image;
        image_.setDevicePixelRatio(devicePixelRatioF());
        update();
    });
    connect(document, &Document::setChanged, this, [this] {
        image_ = {};
        setPlace(document_->pictureArea().center());
    });
}

void DetailPane::pointAt(std::optional<QPointF> place)
{
    rest_.stop();
    if (!place)
        return;
    next_ = *place;
    rest_.start(kRestMilliseconds);
}

void DetailPane::setPlace(const QPointF &place)
{
    const QRectF area = document_->pictureArea();
    place_ = {std::clamp(place.x(), area.left(), area.right()), std::clamp(place.y(), area.top(), area.bottom())};
    ask();
    Q_EMIT placeChanged(place_);
}

void DetailPane::ask()
{
    if (!isVisible() || !document_->isOpen())
        return;
    document_->requestDetail(pixelView(document_->pictureArea(), place_, QSizeF(size()) * devicePixelRatioF()));
}

void DetailPane::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    painter.fillRect(rect(), palette().color(QPalette::Mid));
    if (!image_.isNull())
        painter.drawImage(QPointF((width() - image_.deviceIndependentSize().width()) / 2,
                                  (height() - image_.deviceIndependentSize().height()) / 2),
                          image_);
    if (hasFocus()) {
        painter.setPen(QPen(tokens().accent, 2));
        painter.drawRect(QRectF(rect()).adjusted(1, 1, -1, -1));
    }
}

void DetailPane::showEvent(QShowEvent *)
{
    ask();
}

void DetailPane::resizeEvent(QResizeEvent *)
{
    ask();
}

void DetailPane::mousePressEvent(QMouseEvent *event)
{
    if (event->button() != Qt::LeftButton)
        return;
    grabbed_ = event->position();
    setCursor(Qt::ClosedHandCursor);
}

void DetailPane::mouseMoveEvent(QMouseEvent *event)
{
    if (!grabbed_)
        return;
    setPlace(place_ - (event->position() - *grabbed_) * devicePixelRatioF());
    grabbed_ = event->position();
}

void DetailPane::mouseReleaseEvent(QMouseEvent *)
{
    grabbed_.reset();
    setCursor(Qt::OpenHandCursor);
}

void DetailPane::keyPressEvent(QKeyEvent *event)
{
    constexpr double kStep = 40.0; // pixels
    const QPointF by = event->key() == Qt::Key_Left    ? QPointF(-kStep, 0)
                       : event->key() == Qt::Key_Right ? QPointF(kStep, 0)
                       : event->key() == Qt::Key_Up    ? QPointF(0, -kStep)
                       : event->key() == Qt::Key_Down  ? QPointF(0, kStep)
                                                       : QPointF();
    if (by.isNull())
        return QWidget::keyPressEvent(event);
    setPlace(place_ + by);
}

} // namespace yolk::app
