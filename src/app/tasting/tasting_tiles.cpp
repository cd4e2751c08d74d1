#include "tasting/tasting_tiles.h"

#include "theme/theme.h"

#include <QContextMenuEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QScrollBar>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr double kMargin = 12.0, kGap = 14.0, kName = 22.0, kSentence = 34.0, kHeading = 108.0; // logical pixels
constexpr double kPicture = 230.0; ///< width that can be judged at arm's length

QFont fontOf(const QWidget &widget, int pixels, bool strong)
{
    QFont out = widget.font();
    out.setPixelSize(pixels);
    if (strong)
        out.setWeight(QFont::DemiBold);
    return out;
}

void paintStar(QPainter &painter, const QPointF &centre, double radius)
{
    QPolygonF star;
    for (int i = 0; i < 10; ++i) {
        const double r = i % 2 ? radius * 0.42 : radius, angle = M_PI * (i / 5.0 - 0.5);
        star << centre + QPointF(r * std::cos(angle), r * std::sin(angle));
    }
    painter.drawPolygon(star);
}

} // namespace

TastingTiles::TastingTiles(QWidget *parent) : QAbstractScrollArea(parent)
{
    setFocusPolicy(Qt::NoFocus); // the sheet has the keys
    setFrameShape(QFrame::NoFrame);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    verticalScrollBar()->setSingleStep(40);
    connect(&Theme::instance(), &Theme::changed, viewport(), qOverload<>(&QWidget::update));
}

void TastingTiles::setTiles(QList<TastingTile> tiles, QList<TastingRow> rows, double aspect, int columns)
{
    tiles_ = std::move(tiles);
    rows_ = std::move(rows);
    aspect_ = aspect;
    wanted_ = columns;
    marked_ = -1;
    current_ = std::clamp(current_, 0, std::max(0, count() - 1));
    layOut();
}

void TastingTiles::setPicture(const QString &key, const QImage &picture)
{
    for (TastingTile &tile : tiles_)
        if (tile.key == key)
            tile.picture = picture;
    viewport()->update();
}

bool TastingTiles::isReady() const
{
    return !tiles_.isEmpty() && std::ranges::none_of(tiles_, [](const TastingTile &t) { return t.picture.isNull(); });
}

void TastingTiles::setCurrent(int index)
{
    current_ = std::clamp(index, 0, std::max(0, count() - 1));
    if (count() > 0) {
        const double top = places_[current_].y() - kGap, bottom = top + size_.height() + wordsHeight() + 2 * kGap;
        if (const int at = verticalScrollBar()->value(); top < at)
            verticalScrollBar()->setValue(int(std::floor(top)));
        else if (bottom > at + viewport()->height())
            verticalScrollBar()->setValue(int(std::ceil(bottom)) - viewport()->height());
    }
    viewport()->update();
}

void TastingTiles::setMarked(int index)
{
    marked_ = index;
    viewport()->update();
}

double TastingTiles::headingWidth() const
{
    return std::ranges::any_of(rows_, [](const TastingRow &r) { return !r.heading.isEmpty(); }) ? kHeading : 0.0;
}

double TastingTiles::wordsHeight() const
{
    const bool described = std::ranges::any_of(tiles_, [](const TastingTile &t) { return !t.description.isEmpty(); });
    return kName + (described ? kSentence : 0.0);
}

QSizeF TastingTiles::pictureSize() const
{
    return size_;
}

void TastingTiles::layOut()
{
    const double room = viewport()->width() - 2 * kMargin - headingWidth();
    int longest = 1;
    for (const TastingRow &row : rows_)
        longest = std::max(longest, row.count);
    const int fitting = std::max(1, int((room + kGap) / (kPicture + kGap)));
    const int columns = std::max(1, wanted_ > 0 ? wanted_ : std::min(longest, fitting));
    double width = (room - (columns - 1) * kGap) / columns;
    if (wanted_ > 0) { // all of it is seen at once
        const int lines = (count() + columns - 1) / columns;
        const double height =
            (viewport()->height() - (lines - 1) * kGap - 2 * 4.0) / std::max(1, lines) - wordsHeight();
        width = std::min(width, height * aspect_);
    }
    const QSizeF before = size_;
    size_ = {std::max(8.0, std::floor(width)), std::max(8.0, std::floor(width / aspect_))};
    places_.clear();
    tops_.clear();
    const double across = columns * size_.width() + (columns - 1) * kGap;
    const double left = wanted_ > 0 ? std::round((viewport()->width() - across) / 2) : kMargin + headingWidth();
    double y = 4.0;
    for (const TastingRow &row : rows_) {
        tops_ << y;
        for (int i = 0; i < row.count; ++i) {
            if (i > 0 && i % columns == 0)
                y += size_.height() + wordsHeight() + kGap;
            places_ << QPointF(left + (i % columns) * (size_.width() + kGap), y);
        }
        y += size_.height() + wordsHeight() + kGap;
    }
    verticalScrollBar()->setPageStep(viewport()->height());
    verticalScrollBar()->setRange(0, wanted_ > 0 ? 0 : std::max(0, int(std::ceil(y)) - viewport()->height()));
    viewport()->update();
    if (size_ != before)
        Q_EMIT laidOut();
}

QRectF TastingTiles::tileRect(int index) const
{
    return {places_[index] - QPointF(0, verticalScrollBar()->value()), size_};
}

bool TastingTiles::isInView(int index) const
{
    return tileRect(index).intersects(QRectF(viewport()->rect()));
}

int TastingTiles::tileAt(const QPointF &position) const
{
    for (int i = 0; i < count(); ++i)
        if (tileRect(i).adjusted(0, 0, 0, wordsHeight()).contains(position))
            return i;
    return -1;
}

int TastingTiles::beyond(int index, int direction) const
{
    if (index < 0 || index >= count())
        return index;
    const QPointF from = places_[index];
    int best = index;
    for (int i = 0; i < count(); ++i) {
        const double away = (places_[i].y() - from.y()) * direction;
        if (away <= 0.0)
            continue;
        const double bestAway = best == index ? 1e9 : (places_[best].y() - from.y()) * direction;
        const bool nearer = std::abs(places_[i].x() - from.x()) < std::abs(places_[best].x() - from.x());
        if (away < bestAway || (away == bestAway && nearer))
            best = i;
    }
    return best;
}

int TastingTiles::rowOf(int index) const
{
    for (int r = 0; r < int(rows_.size()); ++r)
        if (index >= rows_[r].first && index < rows_[r].first + rows_[r].count)
            return r;
    return 0;
}

void TastingTiles::mousePressEvent(QMouseEvent *event)
{
    if (const int tile = tileAt(event->position()); tile >= 0)
        Q_EMIT pressed(tile);
}

void TastingTiles::mouseDoubleClickEvent(QMouseEvent *event)
{
    if (const int tile = tileAt(event->position()); tile >= 0)
        Q_EMIT activated(tile);
}

void TastingTiles::contextMenuEvent(QContextMenuEvent *event)
{
    if (const int tile = tileAt(event->pos()); tile >= 0)
        Q_EMIT menuAsked(tile, event->globalPos());
}

void TastingTiles::resizeEvent(QResizeEvent *)
{
    layOut();
}

void TastingTiles::paintTile(QPainter &painter, int index) const
{
    const TastingTile &tile = tiles_[index];
    const QRectF place = tileRect(index);
    if (tile.picture.isNull()) {
        painter.fillRect(place, tokens().track);
    } else {
        QImage image = tile.picture;
        image.setDevicePixelRatio(devicePixelRatioF());
        painter.drawImage(place.topLeft(), image);
    }
    painter.setBrush(Qt::NoBrush);
    if (index == marked_) {
        painter.setPen(QPen(tokens().text, 2, Qt::DashLine));
        painter.drawRect(place.adjusted(-4, -4, 4, 4));
    }
    if (index == current_) {
        painter.setPen(QPen(tokens().text, 1));
        painter.drawRect(place.adjusted(-3.5, -3.5, 3.5, 3.5));
        painter.setPen(QPen(tokens().accent, 2));
        painter.drawRect(place.adjusted(-2, -2, 2, 2));
    }
    const QFont name = fontOf(*this, 13, index == current_);
    painter.setFont(name);
    painter.setPen(tokens().text);
    QRectF words(place.left(), place.bottom() + 4, place.width(), kName - 4);
    const bool described = wordsHeight() > kName;
    const double star = tile.favourite ? 18.0 : 0.0;
    painter.drawText(words.adjusted(star, 0, 0, 0), Qt::AlignVCenter | (described ? Qt::AlignLeft : Qt::AlignHCenter),
                     QFontMetricsF(name).elidedText(tile.name, Qt::ElideRight, words.width() - star));
    if (tile.favourite) {
        painter.setBrush(tokens().text);
        painter.setPen(Qt::NoPen);
        paintStar(painter, {words.left() + 7, words.center().y()}, 6.5);
    }
    if (!described)
        return;
    painter.setFont(fontOf(*this, 12, false));
    painter.setPen(tokens().secondary);
    painter.drawText(QRectF(place.left(), place.bottom() + kName, place.width(), kSentence),
                     Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, tile.description);
}

void TastingTiles::paintEvent(QPaintEvent *)
{
    QPainter painter(viewport());
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(viewport()->rect(), tokens().chrome);
    for (int r = 0; r < int(rows_.size()); ++r) {
        const TastingRow &row = rows_[r];
        const double top = tops_[r] - verticalScrollBar()->value();
        painter.setFont(fontOf(*this, 13, true));
        painter.setPen(tokens().text);
        painter.drawText(QRectF(kMargin, top, kHeading - 12, size_.height()),
                         Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, row.heading);
        const double behind = row.count > 0 ? tileRect(row.first + row.count - 1).right() + kGap : kMargin + kHeading;
        if (!row.hint.isEmpty() && viewport()->width() - behind > kPicture / 2) {
            painter.setFont(fontOf(*this, 12, false));
            painter.setPen(tokens().secondary);
            painter.drawText(
                QRectF(behind, top, std::min(size_.width(), viewport()->width() - kMargin - behind), size_.height()),
                Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, row.hint);
        }
    }
    for (int i = 0; i < count(); ++i)
        if (tileRect(i).adjusted(0, -8, 0, wordsHeight()).intersects(QRectF(viewport()->rect())))
            paintTile(painter, i);
}

} // namespace yolk::app
