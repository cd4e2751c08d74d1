// Pictures in rows under headings, one of them current: what the tasting sheet shows. Scrolls when there are many.
#pragma once

#include <QAbstractScrollArea>
#include <QImage>
#include <QList>

namespace yolk::app {

struct TastingTile {
    QString key; ///< of its picture
    QString name, description;
    bool favourite = false;
    QImage picture; ///< null until it is ready
};

/// Tiles that belong together.
struct TastingRow {
    QString heading; ///< at the left; empty: there is none
    QString hint;    ///< behind the last tile, where there is room
    int first = 0, count = 0;
};

class TastingTiles : public QAbstractScrollArea {
    Q_OBJECT
public:
    explicit TastingTiles(QWidget *parent = nullptr);

    /// `aspect` of all pictures, width over height. `columns` 0: as many as give pictures that can be judged; then it
    /// scrolls, else all is made to fit.
    void setTiles(QList<TastingTile> tiles, QList<TastingRow> rows, double aspect, int columns = 0);
    void setPicture(const QString &key, const QImage &picture); ///< of all tiles of that key
    void setCurrent(int index);                                 ///< and brings it into view
    void setMarked(int index);                                  ///< -1: none

    const QList<TastingTile> &tiles() const { return tiles_; }
    const QList<TastingRow> &rows() const { return rows_; }
    int count() const { return int(tiles_.size()); }
    int current() const { return current_; }
    int marked() const { return marked_; }
    bool isReady() const; ///< all pictures are there
    QSizeF pictureSize() const;
    QRectF tileRect(int index) const; ///< of its picture, viewport pixels
    bool isInView(int index) const;
    /// The tile above (-1) or below (+1), nearest across; `index` itself where there is none.
    int beyond(int index, int direction) const;
    int rowOf(int index) const;

Q_SIGNALS:
    void pressed(int index);
    void activated(int index); ///< by a double click
    void menuAsked(int index, const QPoint &at);
    void laidOut(); ///< pictures have another size

protected:
    void paintEvent(QPaintEvent *) override;
    void resizeEvent(QResizeEvent *) override;
    void mousePressEvent(QMouseEvent *event) override;
    void mouseDoubleClickEvent(QMouseEvent *event) override;
    void contextMenuEvent(QContextMenuEvent *event) override;

private:
    void layOut();
    int tileAt(const QPointF &position) const;
    double headingWidth() const;
    double wordsHeight() const;
    void paintTile(QPainter &painter, int index) const;

    QList<TastingTile> tiles_;
    QList<TastingRow> rows_;
    QList<QPointF> places_; ///< of the pictures, from the top of all
    QList<double> tops_;    ///< of the rows
    QSizeF size_;           ///< of a picture
    double aspect_ = 1.5;
    int wanted_ = 0, current_ = 0, marked_ = -1;
};

} // namespace yolk::app
