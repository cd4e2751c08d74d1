// The sets as cards: look them through, choose some, join two by dragging one onto the other, drop frames on them.
#pragma once

#include "sets/collection.h"

#include <QAbstractListModel>
#include <QListView>
#include <QSet>

namespace yolk::app {

/// How a run stands with a set.
struct SetProgress {
    enum class State { None, Waiting, UnderWay, Done, Failed };
    State state = State::None;
    double fraction = 0.0;
    QString why; ///< of a failure
};

/// Which sets are shown, and in which order.
struct SetFilter {
    enum class Show { All, Chosen, InTrouble, Untouched };
    enum class Order { Taken, Name, Rating, Range };
    Show show = Show::All;
    Order order = Order::Taken;
    int leastRating = 0;
};

class SetModel : public QAbstractListModel {
    Q_OBJECT
public:
    explicit SetModel(Collection *collection, QObject *parent);
    int rowCount(const QModelIndex &parent = {}) const override;
    QVariant data(const QModelIndex &index, int role) const override;
    Qt::ItemFlags flags(const QModelIndex &index) const override;
    int setOf(const QModelIndex &index) const { return index.isValid() ? shown_[index.row()] : -1; }
    int rowOf(int set) const { return int(shown_.indexOf(set)); }
    const Collection *collection() const { return collection_; }
    const SetFilter &filter() const { return filter_; }
    void setFilter(const SetFilter &filter);
    void setProgress(const QHash<int, SetProgress> &progress); ///< by set
    const SetProgress progress(int set) const { return progress_.value(set); }
    int current() const { return current_; }
    void setCurrent(int set); ///< the one that is open; -1: none

private:
    void rearrange(bool anew);
    Collection *collection_;
    SetFilter filter_;
    QList<int> shown_;
    QHash<int, SetProgress> progress_;
    int current_ = -1;
};

class SetGrid : public QListView {
    Q_OBJECT
public:
    SetGrid(Collection *collection, QWidget *parent = nullptr);
    SetModel *cards() const { return model_; }
    QList<int> selected() const; ///< in the order of the sets
    QList<int> shown() const;
    int currentSet() const;
    void select(const QList<int> &sets);

Q_SIGNALS:
    void openAsked(int set);
    void rated(int eggs); ///< for those that are selected
    void choosingAsked(); ///< marks them as chosen, or no longer
    void joinAsked();     ///< the selected, or this one with the one behind it
    void selectionIsNew();

protected:
    void keyPressEvent(QKeyEvent *event) override;
    void paintEvent(QPaintEvent *event) override;
    void startDrag(Qt::DropActions) override;
    void dragEnterEvent(QDragEnterEvent *event) override;
    void dragMoveEvent(QDragMoveEvent *event) override;
    void dropEvent(QDropEvent *event) override;
    void scrollContentsBy(int dx, int dy) override;
    void resizeEvent(QResizeEvent *event) override;
    void showEvent(QShowEvent *event) override;
    void hideEvent(QHideEvent *event) override;
    void selectionChanged(const QItemSelection &selected, const QItemSelection &deselected) override;
    void currentChanged(const QModelIndex &current, const QModelIndex &previous) override;

private:
    void wantNearest();
    int setAt(const QPoint &at) const;
    Collection *collection_;
    SetModel *model_;
};

} // namespace yolk::app
