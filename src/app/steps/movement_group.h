// Movement: whether, how faint, which frame decides, what was decided where, and what was drawn by hand.
#pragma once

#include "canvas/drawn_shape.h"
#include "document/document.h"
#include "widgets/fold_group.h"

class QButtonGroup;
class QComboBox;
class QGridLayout;
class QLabel;
class QListWidget;
class QPushButton;
class QToolButton;

namespace yolk::app {

class ChoiceRow;
class ValueSlider;

inline constexpr int kAutomaticKeeper = -2; ///< -1 is no id of a button

class MovementGroup : public FoldGroup {
    Q_OBJECT
public:
    explicit MovementGroup(Document *document, QWidget *parent = nullptr);
    ChoiceRow *mode() const { return mode_; }
    ValueSlider *sensitivity() const { return sensitivity_; }
    QButtonGroup *keeper() const { return keeper_; }    ///< kAutomaticKeeper, else indices in bracket()
    QString found() const;                              ///< what it says was found
    QString placeWords() const;                         ///< and of the place that is shown
    QPushButton *decision() const { return decision_; } ///< its menu decides for the place that is shown
    QListWidget *regions() const { return regions_; }
    QComboBox *source() const { return source_; }
    ValueSlider *brush() const { return brush_; }
    QPushButton *drawButton(HandTask task) const { return draw_[size_t(task)]; }
    QPushButton *removeButton() const { return remove_; }
    QList<DrawnShape> shapes() const; ///< what was drawn, for the canvas

public Q_SLOTS:
    void stepPlace(int direction); ///< to the next (+1) or the place before, at 100 %
    void take(const yolk::app::DrawnShape &shape);
    void setDrawing(bool drawing); ///< false: the canvas has ended it

Q_SIGNALS:
    void placeAsked(const QRectF &area);
    void drawingAsked(std::optional<double> radius);
    void shapesChanged();

private:
    void refresh();    ///< what settings say
    void takeFrames(); ///< all that names frames
    void refreshKeeper();
    void refreshRegions();
    void refreshFound();
    void decide(HandTask task, std::optional<size_t> frame);
    void ask(HandTask task, bool on);
    void redraw();
    void set(const std::function<void(Recipe &)> &change, const QString &what, const QString &gesture = {});

    Document *document_;
    ChoiceRow *mode_;
    ValueSlider *sensitivity_;
    QLabel *keeperName_;
    QWidget *keeperBox_;
    QGridLayout *keeperGrid_;
    QButtonGroup *keeper_;
    QLabel *found_;
    QWidget *placeBox_;
    QLabel *placeName_, *placeWords_;
    QToolButton *before_, *next_;
    QPushButton *decision_;
    QLabel *handName_;
    std::array<QPushButton *, kHandTasks.size()> draw_{};
    QComboBox *source_;
    ValueSlider *brush_;
    QListWidget *regions_;
    QWidget *regionButtons_;
    QPushButton *again_, *remove_;
    std::optional<std::pair<MovementMode, std::vector<HandRegion>>> shown_; ///< in the list
    std::optional<size_t> place_;                                           ///< among those to show
    std::optional<HandTask> asked_;                                         ///< what is being drawn
    std::optional<size_t> redrawn_;                                         ///< the region that is drawn again
};

} // namespace yolk::app
