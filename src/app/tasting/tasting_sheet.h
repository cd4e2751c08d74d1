// The tasting sheet: the picture in several settings side by side, to choose by eye. Changes nothing until one is
// taken.
#pragma once

#include "document/document.h"
#include "document/preset_shelf.h"

#include <QWidget>

namespace yolk::app {

class TastingSheet : public QWidget {
    Q_OBJECT
public:
    TastingSheet(Document *document, PresetShelf *shelf, QWidget *parent = nullptr);

    void showPresets(const QString &group);
    void showVariations();
    bool isOfVariations() const { return group_.isEmpty(); }
    QString group() const { return group_; }
    int count() const { return int(tiles_.size()); }
    int current() const { return current_; }
    double step() const { return step_; } ///< of the variations: 1, then halves
    bool isReady() const { return !pictures_.isEmpty(); }
    const QList<QImage> &pictures() const { return pictures_; }
    QRectF tileRect(int index) const; ///< of its picture, widget pixels
    void setCurrent(int index);
    void choose(); ///< takes the current one, or goes on round it in finer steps

Q_SIGNALS:
    void closed(); ///< one was taken, or none

protected:
    bool event(QEvent *event) override;
    void paintEvent(QPaintEvent *) override;
    void resizeEvent(QResizeEvent *) override;
    void keyPressEvent(QKeyEvent *event) override;
    void mousePressEvent(QMouseEvent *event) override;
    void mouseDoubleClickEvent(QMouseEvent *event) override;

private:
    struct Tile {
        QString name, description;
        Recipe recipe;
    };
    void show(QList<Tile> tiles, int current);
    void makeVariations(const Recipe &round);
    void ask();
    void moveGroup(int direction);
    int tileAt(const QPointF &position) const;
    int columns() const;
    QSizeF pictureSize() const; ///< of a tile, widget pixels
    QString heading() const;

    Document *document_;
    PresetShelf *shelf_;
    QString group_; ///< empty: variations
    QList<Tile> tiles_;
    QList<QImage> pictures_;
    int current_ = 0;
    double step_ = 1.0;
};

} // namespace yolk::app
