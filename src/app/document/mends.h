// The spots of what is open: which one is worked on, what the next ones are like, and where they are mended from.
#pragma once

#include "jobs/lane.h"
#include "mend/mend_settings.h"

#include <QObject>
#include <QPointF>

#include <functional>
#include <vector>

namespace yolk::app {

class Document;

/// Every change is one of the document's recipe, and so a step of undo.
class Mends : public QObject {
    Q_OBJECT
public:
    explicit Mends(Document *document);

    const SharedList<MendSpot> &all() const;
    int chosenIndex() const { return chosen_; } ///< -1: none
    const MendSpot *chosen() const;             ///< null: none
    void choose(int index);
    QString nameOf(int index) const; ///< by what it is

    /// What the next spots are like; has no points.
    const MendSpot &next() const { return next_; }
    /// Changes the chosen spot, and what the next ones are like.
    void change(const std::function<void(MendSpot &)> &edit, const QString &what, const QString &gesture = {});
    void set(int index, MendSpot spot, const QString &what, const QString &gesture = {});
    /// A new spot along points of the reference frame, chosen; it is mended once the best place for it is found.
    void add(std::vector<Point> points);
    void remove(int index);
    void removeAll();
    /// Mends the chosen one from the next best place; from the last one back to the best.
    void nextSource();
    bool isLooking() const { return lane_.busy(); } ///< for such a place

Q_SIGNALS:
    void changed(); ///< the list, or a spot
    void chosenChanged();
    void nextChanged();

private:
    void recipeChanged();
    void setAll(std::vector<MendSpot> spots, const QString &what, const QString &gesture);
    void findSources(const QString &gesture);
    void takeSource(size_t place, const QString &gesture);

    Document *document_;
    Lane lane_;
    SharedList<MendSpot> seen_;
    MendSpot next_;
    int chosen_ = -1, made_ = 0;
    /// Of the chosen spot, the best first; empty: not known.
    std::vector<Point> sources_;
    size_t source_ = 0;
};

} // namespace yolk::app
