// The spots of what is open: which one is worked on, what the next ones are like, and where they are mended from.
#pragma once

#include "jobs/lane.h"
#include "mend/mend_settings.h"

#include <QObject>
#include <QPointF>
#include <QTimer>

#include <functional>
#include <optional>
#include <vector>

namespace yolk {
struct Recipe;
}

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
    /// A new spot along points of the reference frame, chosen; it is mended once the best place for it is found. Strokes are
    /// woven unless another way was chosen.
    void add(std::vector<Point> points);
    void remove(int index);
    void removeAll();
    /// Mends the chosen one from the next best place; from the last one back to the best. What is woven is woven another
    /// way, what comes from a frame from the next one.
    void nextSource();
    bool isLooking() const { return lane_.busy(); } ///< for such a place

    // ---- on the canvas alone
    /// Shows what a spot along these points of the reference frame would come to, once they rest; empty: no longer.
    void tryAlong(std::vector<Point> points);
    bool isTrying() const { return tried_.has_value(); }
    /// Adds what is tried to the settings that the canvas shows.
    void putOnCanvas(Recipe &recipe) const;

Q_SIGNALS:
    void changed(); ///< the list, or a spot
    void chosenChanged();
    void nextChanged();

private:
    void recipeChanged();
    void setAll(std::vector<MendSpot> spots, const QString &what, const QString &gesture);
    void findSources(const QString &gesture);
    void takeSource(size_t place, const QString &gesture);
    void nextOther(const QString &gesture);
    std::string likelyFrame() const;
    MendSpot madeAlong(std::vector<Point> points) const;
    void trySpot();

    Document *document_;
    Lane lane_, tryLane_;
    QTimer tryTimer_;
    SharedList<MendSpot> seen_;
    MendSpot next_;
    MendWay strokeWay_ = MendWay::Woven; ///< of the next stroke
    int chosen_ = -1, made_ = 0;
    std::vector<Point> resting_;    ///< what is to be tried
    std::optional<MendSpot> tried_; ///< with the place that it is mended from
    /// Of the chosen spot, the best first; empty: not known.
    std::vector<Point> sources_;
    size_t source_ = 0;
};

} // namespace yolk::app
