// The areas of what is open: which one is worked on, how it is shown, and what is done to the list.
#pragma once

#include "areas/area.h"
#include "jobs/lane.h"
#include "render/views/area_view.h"

#include <QImage>
#include <QList>
#include <QObject>
#include <QPointF>
#include <QStringList>
#include <QTimer>

#include <functional>
#include <optional>

namespace yolk::app {

class Document;

/// How the chosen area is shown on the canvas.
enum class AreaLook { Picture, Hatched, Alone, Mask, Without };

/// Every change is one of the document's recipe, and so a step of undo.
class Areas : public QObject {
    Q_OBJECT
public:
    explicit Areas(Document *document);

    const SharedList<Area> &all() const;
    int chosenIndex() const { return chosen_; }
    const Area *chosen() const; ///< null: none
    void choose(int index);
    int chosenShape() const { return shape_; } ///< of the chosen area; 0 where there is one
    void chooseShape(int index);
    QString nameOf(int index) const; ///< its own, or by what it is
    static QString kindName(ShapeKind kind);

    void add(Area area, const QString &what, const QString &gesture = {}); ///< at the end, chosen
    void set(int index, Area area, const QString &what, const QString &gesture = {});
    void change(const std::function<void(Area &)> &edit, const QString &what,
                const QString &gesture = {}); ///< the chosen
    /// The chosen shape of the chosen area.
    void changeShape(const std::function<void(AreaShape &)> &edit, const QString &what, const QString &gesture = {});
    void setAll(std::vector<Area> areas, const QString &what, const QString &gesture = {});
    void setGroup(int index, const QString &name); ///< empty: in none
    void setGroupOn(int index, bool on);           ///< all of its group
    /// What the nearest other area before it moves; empty: nothing does.
    AreaAmounts amountsBefore(int index) const;
    void remove(int index);
    void duplicate(int index);
    void move(int index, int by);
    void copy(int index) const; ///< onto the clipboard, as text
    void paste();               ///< what lies there; failed() where that is no area

    /// A new shape of a kind, where the picture is seen; a brush has no strokes yet.
    AreaShape shapeOf(ShapeKind kind) const;

    void setShown(bool on); ///< the step is open
    bool isShown() const { return shown_; }
    void setLook(AreaLook look);
    AreaLook look() const { return look_; }
    void holdLook(std::optional<AreaLook> look); ///< in place of the other while a key is held
    std::optional<AreaLook> shownLook() const;   ///< of the chosen area, where it is shown at all
    QImage picture(int index) const;             ///< its mask, small; null until it is painted
    const SceneHistogram *histogram() const { return histogram_ ? &*histogram_ : nullptr; } ///< of the chosen area

Q_SIGNALS:
    void changed(); ///< the list, or an area
    void chosenChanged();
    void lookChanged();
    void histogramChanged();
    void picturesChanged();
    void failed(const QString &message);

private:
    void recipeChanged();
    void findHistogram();
    void paintPictures();

    Document *document_;
    Lane histogramLane_, pictureLane_;
    QTimer lookTimer_; ///< what is only looked at waits until a drag rests
    SharedList<Area> seen_;
    struct Small {
        Area area; ///< that it is of
        QImage picture;
    };
    QList<Small> small_;
    int chosen_ = -1, shape_ = 0;
    bool shown_ = false;
    AreaLook look_ = AreaLook::Picture;
    std::optional<AreaLook> held_;
    std::optional<SceneHistogram> histogram_;
};

} // namespace yolk::app
