#include "sets/set_grid.h"

#include "project/project.h"
#include "sets/frames_strip.h"
#include "theme/theme.h"

#include <QDrag>
#include <QDropEvent>
#include <QFileInfo>
#include <QKeyEvent>
#include <QMimeData>
#include <QPainter>
#include <QStyledItemDelegate>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

const QString kSetMime = QStringLiteral("application/x-yolk-set");
constexpr QSize kCard(228, 240); // logical pixels, with the gap round it
constexpr int kGap = 5, kPad = 8, kPicture = 140, kLine = 18;

class CardPainter : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    /// As many to a line as fit, which then fill it.
    QSize sizeHint(const QStyleOptionViewItem &option, const QModelIndex &) const override
    {
        const auto *view = static_cast<const QListView *>(option.widget);
        const int width = view ? view->viewport()->width() - 1 : kCard.width();
        return {width / std::max(1, width / kCard.width()), kCard.height()};
    }
    void paint(QPainter *painter, const QStyleOptionViewItem &option, const QModelIndex &index) const override;
};

void paintPicture(QPainter &painter, const QRect &room, const SetCard &card)
{
    painter.fillRect(room, tokens().chrome);
    if (!card.picture.isNull()) {
        const QSizeF size = QSizeF(card.picture.size()).scaled(room.size(), Qt::KeepAspectRatio);
        painter.drawImage(
            QRectF(QPointF(room.center().x() + 0.5 - size.width() / 2, room.center().y() + 0.5 - size.height() / 2),
                   size),
            card.picture);
        return;
    }
    painter.setPen(tokens().secondary);
    painter.drawText(room.adjusted(8, 8, -8, -8), Qt::AlignCenter | Qt::TextWordWrap,
                     card.isMade ? Collection::tr("No picture") : Collection::tr("Not merged yet"));
}

void paintProgress(QPainter &painter, const QRect &room, const SetProgress &progress)
{
    const auto band = [&](const QString &text) {
        const QRect place(room.left(), room.bottom() - 21, room.width(), 22);
        QColor ground = tokens().panel;
        ground.setAlpha(235);
        painter.fillRect(place, ground);
        painter.setPen(tokens().text);
        painter.drawText(place.adjusted(6, 0, -6, 0), Qt::AlignVCenter,
                         painter.fontMetrics().elidedText(text, Qt::ElideRight, place.width() - 12));
    };
    switch (progress.state) {
    case SetProgress::State::None:
        return;
    case SetProgress::State::Waiting:
        return band(Collection::tr("Waits"));
    case SetProgress::State::Done:
        return band(Collection::tr("Done"));
    case SetProgress::State::Failed:
        return band(Collection::tr("Not done: %1").arg(progress.why));
    case SetProgress::State::UnderWay:
        break;
    }
    band(Collection::tr("%1 %").arg(std::lround(100.0 * progress.fraction)));
    const QRect bar(room.left(), room.bottom() - 3, room.width(), 4);
    painter.fillRect(bar, tokens().track);
    painter.fillRect(QRect(bar.topLeft(), QSize(int(std::lround(bar.width() * progress.fraction)), bar.height())),
                     tokens().fill);
}

void CardPainter::paint(QPainter *painter, const QStyleOptionViewItem &option, const QModelIndex &index) const
{
    const auto *model = static_cast<const SetModel *>(index.model());
    const Collection &collection = *model->collection();
    const int set = model->setOf(index);
    const SetCard &card = collection.card(set);
    const QRect room = option.rect.adjusted(kGap, kGap, -kGap, -kGap);
    painter->save();
    painter->setRenderHints(QPainter::Antialiasing | QPainter::SmoothPixmapTransform);
    const bool isSelected = option.state & QStyle::State_Selected, hasFocus = option.state & QStyle::State_HasFocus;
    painter->setPen(QPen(isSelected || hasFocus ? tokens().text : tokens().line, isSelected ? 2 : 1));
    painter->setBrush(isSelected ? tokens().field : tokens().panel);
    painter->drawRoundedRect(QRectF(room).adjusted(1, 1, -1, -1), 6, 6);
    if (hasFocus && !isSelected) {
        QPen pen(tokens().text, 1, Qt::DotLine);
        painter->setPen(pen);
        painter->drawRoundedRect(QRectF(room).adjusted(3.5, 3.5, -3.5, -3.5), 4, 4);
    }
    const QRect picture(room.left() + kPad, room.top() + kPad, room.width() - 2 * kPad, kPicture);
    paintPicture(*painter, picture, card);
    paintProgress(*painter, picture, model->progress(set));

    QFont bold = option.font, small = option.font;
    bold.setBold(true);
    small.setPixelSize(12);
    int top = picture.bottom() + 5;
    const auto line = [&](const QFont &font, const QColor &colour, const QString &text, int right = 0) {
        painter->setFont(font);
        painter->setPen(colour);
        const QRect place(picture.left(), top, picture.width() - right, kLine);
        painter->drawText(place, Qt::AlignVCenter,
                          painter->fontMetrics().elidedText(text, Qt::ElideRight, place.width()));
        top += kLine;
    };
    const QStringList facts = collection.title(set).split(QStringLiteral("  ·  "));
    line(bold, tokens().text,
         set == model->current() ? Collection::tr("%1 · open · %2").arg(set + 1).arg(facts.front())
                                 : QStringLiteral("%1 · %2").arg(set + 1).arg(facts.front()));
    line(small, tokens().secondary, facts.mid(1).join(QStringLiteral(" · ")));
    // Eggs, and whether it is chosen; then what is wrong with it, or that somebody worked on it.
    for (int i = 0; i < kBestRating; ++i) {
        const QPointF centre(picture.left() + 7 + 15 * i, top + kLine / 2.0);
        if (i < card.rating) {
            paintEgg(*painter, centre, 13, false, false);
        } else {
            painter->setPen(Qt::NoPen);
            painter->setBrush(tokens().secondary);
            painter->drawEllipse(centre, 1.5, 1.5);
        }
    }
    if (card.chosen) {
        painter->setFont(small);
        painter->setPen(tokens().text);
        painter->drawText(QRect(picture.left(), top, picture.width(), kLine), Qt::AlignVCenter | Qt::AlignRight,
                          Collection::tr("Chosen"));
    }
    top += kLine;
    if (!card.troubles.isEmpty()) {
        constexpr int kIcon = 13;
        painter->drawPixmap(QPoint(picture.left(), top + (kLine - kIcon) / 2),
                            themedPixmap(QStringLiteral("triangle-alert"), kIcon, tokens().text,
                                         painter->device()->devicePixelRatioF()));
        painter->setFont(small);
        painter->setPen(tokens().text);
        const QRect place(picture.left() + kIcon + 4, top, picture.width() - kIcon - 4, kLine);
        const QString more =
            card.troubles.size() > 1
                ? Collection::tr("%1 and %2 more").arg(card.troubles.front()).arg(card.troubles.size() - 1)
                : card.troubles.front();
        painter->drawText(place, Qt::AlignVCenter,
                          painter->fontMetrics().elidedText(more, Qt::ElideRight, place.width()));
    } else if (card.isWorkedOnByHand) {
        line(small, tokens().secondary, Collection::tr("Worked on by hand"));
    }
    painter->restore();
}

} // namespace

// ---- the model

SetModel::SetModel(Collection *collection, QObject *parent) : QAbstractListModel(parent), collection_(collection)
{
    connect(collection, &Collection::changed, this, [this] {
        progress_.clear(); // indices are others now
        current_ = -1;
        rearrange(true);
    });
    connect(collection, &Collection::cardsChanged, this, [this] { rearrange(false); });
    rearrange(true);
}

int SetModel::rowCount(const QModelIndex &parent) const
{
    return parent.isValid() ? 0 : int(shown_.size());
}

QVariant SetModel::data(const QModelIndex &index, int role) const
{
    const int set = setOf(index);
    if (set < 0)
        return {};
    const SetCard &card = collection_->card(set);
    switch (role) {
    case Qt::AccessibleTextRole: {
        QStringList words{tr("Set %1").arg(set + 1), collection_->title(set)};
        if (card.rating > 0)
            words << tr("%1 eggs").arg(card.rating);
        if (card.chosen)
            words << tr("chosen");
        return (words + card.troubles).join(QStringLiteral(", "));
    }
    case Qt::ToolTipRole: {
        QStringList lines{collection_->title(set)};
        for (const QString &path : collection_->sets()[set])
            lines << QFileInfo(path).fileName();
        return (lines + card.troubles).join(QLatin1Char('\n'));
    }
    default:
        return {};
    }
}

Qt::ItemFlags SetModel::flags(const QModelIndex &index) const
{
    return QAbstractListModel::flags(index) | Qt::ItemIsDragEnabled | Qt::ItemIsDropEnabled;
}

void SetModel::setFilter(const SetFilter &filter)
{
    filter_ = filter;
    rearrange(false);
}

void SetModel::setProgress(const QHash<int, SetProgress> &progress)
{
    progress_ = progress;
    if (!shown_.isEmpty())
        Q_EMIT dataChanged(index(0), index(rowCount() - 1));
}

void SetModel::setCurrent(int set)
{
    current_ = set;
    rearrange(false);
}

/// What was chosen stays chosen, unless the sets are others.
void SetModel::rearrange(bool anew)
{
    QList<int> next;
    for (int set = 0; set < int(collection_->sets().size()); ++set) {
        const SetCard &card = collection_->card(set);
        const bool fits = filter_.show == SetFilter::Show::All ||
                          (filter_.show == SetFilter::Show::Chosen && card.chosen) ||
                          (filter_.show == SetFilter::Show::InTrouble && !card.troubles.isEmpty()) ||
                          (filter_.show == SetFilter::Show::Untouched && !card.isWorkedOnByHand);
        if (fits && card.rating >= filter_.leastRating)
            next << set;
    }
    const auto by = [&](const auto &key) { std::ranges::stable_sort(next, {}, key); };
    switch (filter_.order) {
    case SetFilter::Order::Taken:
        break;
    case SetFilter::Order::Name:
        by([this](int set) { return QFileInfo(collection_->sets()[set].front()).fileName(); });
        break;
    case SetFilter::Order::Rating:
        by([this](int set) { return -collection_->card(set).rating; });
        break;
    case SetFilter::Order::Range:
        by([this](int set) { return -collection_->range(set); });
        break;
    }
    if (!anew && next == shown_) {
        if (!shown_.isEmpty())
            Q_EMIT dataChanged(index(0), index(rowCount() - 1));
        return;
    }
    if (anew) {
        beginResetModel();
        shown_ = next;
        endResetModel();
        return;
    }
    Q_EMIT layoutAboutToBeChanged();
    const QModelIndexList before = persistentIndexList();
    QModelIndexList after;
    for (const QModelIndex &old : before) {
        const int row = int(next.indexOf(shown_[old.row()]));
        after << (row < 0 ? QModelIndex() : createIndex(row, 0));
    }
    shown_ = next;
    changePersistentIndexList(before, after);
    Q_EMIT layoutChanged();
}

// ---- the view

SetGrid::SetGrid(Collection *collection, QWidget *parent)
    : QListView(parent), collection_(collection), model_(new SetModel(collection, this))
{
    setModel(model_);
    setItemDelegate(new CardPainter(this));
    setViewMode(QListView::IconMode);
    setMovement(QListView::Static);
    setResizeMode(QListView::Adjust);
    setUniformItemSizes(true);
    setSelectionMode(QAbstractItemView::ExtendedSelection);
    setVerticalScrollMode(QAbstractItemView::ScrollPerPixel);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    setFrameShape(QFrame::NoFrame);
    setDragEnabled(true);
    setAcceptDrops(true);
    viewport()->setAcceptDrops(true);
    viewport()->setBackgroundRole(QPalette::Window);
    setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOn); // else the width changes with the number of cards
    setAccessibleName(tr("Sets"));
    setToolTip(tr("Enter opens a set; 0 to 5 rate, C chooses, J joins it with the set behind it."));
    connect(this, &QListView::activated, this, [this](const QModelIndex &at) { Q_EMIT openAsked(model_->setOf(at)); });
    connect(collection, &Collection::cardsChanged, this, &SetGrid::wantNearest);
    connect(model_, &QAbstractItemModel::modelReset, this, &SetGrid::wantNearest, Qt::QueuedConnection);
    connect(model_, &QAbstractItemModel::layoutChanged, this, &SetGrid::wantNearest, Qt::QueuedConnection);
    connect(&Theme::instance(), &Theme::changed, viewport(), qOverload<>(&QWidget::update));
}

QList<int> SetGrid::selected() const
{
    QList<int> out;
    for (const QModelIndex &at : selectionModel()->selectedIndexes())
        out << model_->setOf(at);
    std::ranges::sort(out);
    return out;
}

QList<int> SetGrid::shown() const
{
    QList<int> out;
    for (int row = 0; row < model_->rowCount(); ++row)
        out << model_->setOf(model_->index(row));
    return out;
}

int SetGrid::currentSet() const
{
    return model_->setOf(currentIndex());
}

void SetGrid::select(const QList<int> &sets)
{
    QItemSelection all;
    for (const int set : sets)
        if (const int row = model_->rowOf(set); row >= 0)
            all.select(model_->index(row), model_->index(row));
    selectionModel()->select(all, QItemSelectionModel::ClearAndSelect);
    if (!sets.isEmpty() && model_->rowOf(sets.front()) >= 0)
        selectionModel()->setCurrentIndex(model_->index(model_->rowOf(sets.front())), QItemSelectionModel::NoUpdate);
}

void SetGrid::keyPressEvent(QKeyEvent *event)
{
    if (event->modifiers() == Qt::NoModifier || event->modifiers() == Qt::KeypadModifier) {
        if (event->key() >= Qt::Key_0 && event->key() <= Qt::Key_0 + kBestRating)
            return Q_EMIT rated(event->key() - Qt::Key_0);
        if (event->key() == Qt::Key_C)
            return Q_EMIT choosingAsked();
        if (event->key() == Qt::Key_J)
            return Q_EMIT joinAsked();
        if ((event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) && currentSet() >= 0)
            return Q_EMIT openAsked(currentSet());
    }
    QListView::keyPressEvent(event);
}

int SetGrid::setAt(const QPoint &at) const
{
    return model_->setOf(indexAt(at));
}

void SetGrid::paintEvent(QPaintEvent *event)
{
    QListView::paintEvent(event);
    if (model_->rowCount() > 0 || collection_->isEmpty())
        return;
    QPainter painter(viewport());
    painter.setPen(tokens().secondary);
    painter.drawText(
        viewport()->rect(), Qt::AlignCenter,
        tr("None of the %1 sets is shown:\nAll, under Shown, brings them back.").arg(collection_->sets().size()));
}

void SetGrid::startDrag(Qt::DropActions)
{
    const QList<int> sets = selected();
    if (sets.isEmpty())
        return;
    QStringList numbers;
    for (const int set : sets)
        numbers << QString::number(set);
    auto *mime = new QMimeData;
    mime->setData(kSetMime, numbers.join(QLatin1Char(' ')).toUtf8());
    auto *drag = new QDrag(this);
    drag->setMimeData(mime);
    const QImage picture = collection_->card(sets.front()).picture;
    if (!picture.isNull())
        drag->setPixmap(QPixmap::fromImage(picture.scaledToWidth(96, Qt::SmoothTransformation)));
    drag->exec(Qt::MoveAction);
}

void SetGrid::dragEnterEvent(QDragEnterEvent *event)
{
    if (event->mimeData()->hasFormat(kSetMime) || event->mimeData()->hasFormat(SetFrame::mime()))
        event->acceptProposedAction();
}

void SetGrid::dragMoveEvent(QDragMoveEvent *event)
{
    const int set = setAt(event->position().toPoint());
    event->setAccepted(event->mimeData()->hasFormat(SetFrame::mime()) || set >= 0);
}

void SetGrid::dropEvent(QDropEvent *event)
{
    const int onto = setAt(event->position().toPoint());
    event->acceptProposedAction();
    if (event->mimeData()->hasFormat(SetFrame::mime())) // beside all cards: a set of its own
        return collection_->move(QString::fromUtf8(event->mimeData()->data(SetFrame::mime())),
                                 onto >= 0 ? onto : int(collection_->sets().size()));
    QList<int> sets{onto};
    for (const QByteArray &number : event->mimeData()->data(kSetMime).split(' '))
        if (const int set = number.toInt(); set != onto)
            sets << set;
    if (onto >= 0)
        collection_->join(sets);
}

/// What is seen first, then a page behind and a page before it.
void SetGrid::wantNearest()
{
    if (!isVisible()) {
        collection_->want({});
        return;
    }
    const QRect page = viewport()->rect();
    const int across = std::max(1, page.width() / kCard.width());
    const int rows = model_->rowCount();
    const int first = std::max(0, verticalOffset() / kCard.height()) * across;
    const int count = (page.height() / kCard.height() + 2) * across;
    QList<int> sets;
    const auto take = [&](int from, int to) {
        for (int row = std::max(0, from); row < std::min(rows, to); ++row)
            sets << model_->setOf(model_->index(row));
    };
    take(first, first + count);
    take(first + count, first + 2 * count);
    take(first - count, first);
    collection_->want(sets);
}

void SetGrid::scrollContentsBy(int dx, int dy)
{
    QListView::scrollContentsBy(dx, dy);
    wantNearest();
}

void SetGrid::resizeEvent(QResizeEvent *event)
{
    QListView::resizeEvent(event);
    scheduleDelayedItemsLayout(); // cards take another width
    wantNearest();
}

void SetGrid::showEvent(QShowEvent *event)
{
    QListView::showEvent(event);
    wantNearest();
}

void SetGrid::hideEvent(QHideEvent *event)
{
    QListView::hideEvent(event);
    wantNearest();
}

void SetGrid::selectionChanged(const QItemSelection &selected, const QItemSelection &deselected)
{
    QListView::selectionChanged(selected, deselected);
    Q_EMIT selectionIsNew();
}

void SetGrid::currentChanged(const QModelIndex &current, const QModelIndex &previous)
{
    QListView::currentChanged(current, previous);
    Q_EMIT selectionIsNew();
}

} // namespace yolk::app
