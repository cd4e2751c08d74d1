#include "sets/sets_view.h"

#include "theme/theme.h"

#include <QApplication>
#include <QContextMenuEvent>
#include <QDrag>
#include <QDropEvent>
#include <QFileInfo>
#include <QLabel>
#include <QMenu>
#include <QMimeData>
#include <QPainter>
#include <QPushButton>
#include <QVBoxLayout>

namespace yolk::app {
namespace {

const QString kMime = QStringLiteral("application/x-yolk-set-frame");
constexpr int kGap = 6, kTitleHeight = 30, kPicture = 60;

} // namespace

SetFrame::SetFrame(const QString &path, QWidget *parent) : QAbstractButton(parent), path_(path)
{
    const QString name = QFileInfo(path).fileName();
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(name);
    setAccessibleDescription(tr("Control and up or down moves it to the set before or behind, N starts a set here."));
    setToolTip(tr("%1\nDrag it to another set; Ctrl+Up and Ctrl+Down move it, N starts a new set here.").arg(name));
    resize(sizeHint());
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
    auto *mime = new QMimeData;
    mime->setData(kMime, path_.toUtf8());
    auto *drag = new QDrag(this);
    drag->setMimeData(mime);
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

SetRow::SetRow(const QString &title, bool last, QWidget *parent) : QWidget(parent), title_(new QLabel(title, this))
{
    setAcceptDrops(true);
    title_->move(10, 6);
    if (!last) {
        open_ = new QPushButton(tr("Open"), this);
        open_->setAccessibleDescription(title);
        open_->setToolTip(tr("Opens this set: it is merged and shown."));
        open_->adjustSize();
    } else {
        title_->setForegroundRole(QPalette::PlaceholderText);
    }
    setMinimumHeight(last ? 46 : kTitleHeight + 94);
}

void SetRow::add(SetFrame *frame)
{
    frame->setParent(this);
    frame->show();
    frames_ << frame;
    layOut();
}

void SetRow::layOut()
{
    title_->adjustSize();
    if (open_)
        open_->move(width() - open_->width() - 10, 3);
    // As many to a line as fit; long sets take more lines.
    const int across = std::max(1, (width() - 20 + kGap) / (96 + kGap));
    for (qsizetype i = 0; i < frames_.size(); ++i)
        frames_[i]->move(10 + int(i) % across * (96 + kGap), kTitleHeight + int(i) / across * (82 + kGap));
    if (!frames_.isEmpty())
        setMinimumHeight(kTitleHeight + (int(frames_.size() - 1) / across + 1) * (82 + kGap) + 6);
}

void SetRow::resizeEvent(QResizeEvent *)
{
    layOut();
}

void SetRow::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    QPen pen(target_ ? tokens().text : tokens().line, 1);
    if (!open_)
        pen.setDashPattern({4, 3});
    painter.setPen(pen);
    painter.setBrush(open_ ? tokens().panel : QColor(Qt::transparent));
    painter.drawRoundedRect(QRectF(rect()).adjusted(0.5, 0.5, -0.5, -0.5), 6, 6);
}

void SetRow::dragEnterEvent(QDragEnterEvent *event)
{
    if (!event->mimeData()->hasFormat(kMime))
        return;
    event->acceptProposedAction();
    target_ = true;
    update();
}

void SetRow::dragLeaveEvent(QDragLeaveEvent *)
{
    target_ = false;
    update();
}

void SetRow::dropEvent(QDropEvent *event)
{
    target_ = false;
    update();
    event->acceptProposedAction();
    Q_EMIT dropped(QString::fromUtf8(event->mimeData()->data(kMime)));
}

SetsView::SetsView(Collection *collection, QWidget *parent)
    : QScrollArea(parent), collection_(collection), content_(new QWidget(this)), heading_(new QLabel(content_))
{
    setObjectName(QStringLiteral("setsView"));
    setFrameShape(QFrame::NoFrame);
    setWidgetResizable(true);
    setAccessibleName(tr("Sets"));
    heading_->setWordWrap(true);
    column_ = new QVBoxLayout(content_);
    column_->setContentsMargins(18, 14, 18, 14);
    column_->setSpacing(8);
    column_->addWidget(heading_);
    column_->addStretch();
    setWidget(content_);
    connect(collection, &Collection::changed, this, &SetsView::rebuild);
    connect(collection, &Collection::thumbnailsChanged, this, &SetsView::showThumbnails);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void SetsView::setCurrent(int set)
{
    current_ = set;
    for (qsizetype i = 0; i < rows_.size(); ++i)
        if (QPushButton *open = rows_[i]->open()) {
            open->setText(i == current_ ? tr("Go on") : tr("Open"));
            open->adjustSize();
        }
}

void SetsView::rebuild()
{
    for (SetRow *row : rows_)
        row->deleteLater(); // one of them may have sent the change
    rows_.clear();
    const auto &sets = collection_->sets();
    qsizetype frames = 0;
    for (const QStringList &set : sets)
        frames += set.size();
    heading_->setText(
        tr("<b>%1 sets of %2 frames.</b> Split by time, exposures and size; drag a frame to where it belongs.")
            .arg(sets.size())
            .arg(frames));
    for (int i = 0; i <= int(sets.size()); ++i) {
        const bool last = i == int(sets.size());
        auto *row = new SetRow(last ? tr("Drop a frame here to make a set of its own.")
                                    : QStringLiteral("<b>%1</b>&nbsp;&nbsp; %2").arg(i + 1).arg(collection_->title(i)),
                               last, content_);
        connect(row, &SetRow::dropped, this, [this, i](const QString &path) { collection_->move(path, i); });
        if (!last)
            for (const QString &path : sets[i]) {
                auto *frame = new SetFrame(path, row);
                frame->setImage(collection_->thumbnail(path));
                connect(frame, &SetFrame::moveAsked, this,
                        [this, path, i](int direction) { collection_->move(path, std::max(0, i + direction)); });
                connect(frame, &SetFrame::splitAsked, this, [this, path] { collection_->splitAt(path); });
                row->add(frame);
            }
        if (QPushButton *open = row->open())
            connect(open, &QPushButton::clicked, this, [this, i] { Q_EMIT openAsked(i); });
        column_->insertWidget(column_->count() - 1, row);
        row->show();
        rows_ << row;
    }
    setCurrent(-1);
}

void SetsView::showThumbnails()
{
    for (SetRow *row : rows_)
        for (SetFrame *frame : row->findChildren<SetFrame *>())
            frame->setImage(collection_->thumbnail(frame->path()));
}

} // namespace yolk::app
