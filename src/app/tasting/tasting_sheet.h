// The tasting sheet: the picture in several settings, to choose by eye. Changes nothing until one is taken.
#pragma once

#include "document/document.h"
#include "document/preset_shelf.h"
#include "tasting/tasting_tiles.h"

#include <QHash>
#include <QWidget>

class QLabel;

namespace yolk::app {

class PresetActions;
class TastingPair;

class TastingSheet : public QWidget {
    Q_OBJECT
public:
    TastingSheet(Document *document, PresetShelf *shelf, QWidget *parent = nullptr);

    void showPresets();
    void showNeighbours();
    bool isOfNeighbours() const { return neighbours_; }
    TastingTiles *tiles() const { return tiles_; }
    TastingPair *pair() const { return pair_; }
    double step() const { return step_; } ///< of the neighbours: 1, then halves
    void setCurrent(int index);
    void choose(); ///< takes the current one, or goes on round it in finer steps

Q_SIGNALS:
    void closed(); ///< one was taken, or none
    void failed(const QString &message);

protected:
    bool event(QEvent *event) override;
    void paintEvent(QPaintEvent *) override;
    void resizeEvent(QResizeEvent *) override;
    void hideEvent(QHideEvent *) override;
    void keyPressEvent(QKeyEvent *event) override;

private:
    void makeRows();
    void makeNeighbours(const Recipe &round);
    void ask();
    void take(const QString &key, const QImage &picture);
    void mark();
    void showPair();
    void toggleFavourite();
    void moveRow(int direction);
    void showMenu(int index, const QPoint &at);
    void showWords();
    double aspect() const;
    QString nameOf(int index) const { return tiles_->tiles()[index].name; }
    QString pairKey(int index) const;

    Document *document_;
    PresetShelf *shelf_;
    PresetActions *actions_;
    QLabel *heading_, *keys_;
    TastingPair *pair_;
    TastingTiles *tiles_;
    QHash<QString, Recipe> recipes_; ///< by the key of a tile
    bool neighbours_ = false;
    int round_ = 0; ///< of what is shown; answers to an older one are not taken
    double step_ = 1.0;
};

} // namespace yolk::app
