// Merge: which frame is the reference, how much each one counts, what came of it.
#pragma once

#include "document/document.h"
#include "widgets/panel.h"

class QComboBox;
class QLabel;
class QPushButton;

namespace yolk::app {

class AlignGroup;
class FoldGroup;
class InspectGroup;
class MovementGroup;

class MergePanel : public Panel {
    Q_OBJECT
public:
    explicit MergePanel(Document *document, QWidget *parent = nullptr);

    AlignGroup *align() const { return align_; }
    MovementGroup *movement() const { return movement_; }
    InspectGroup *look() const { return look_; }
    QString report() const; ///< what it says of the merge

Q_SIGNALS:
    void saveAsked();

private:
    void refresh();
    void refreshFacts();
    QString reportText(const MergedSet &merged) const;
    Document *document_;
    QComboBox *reference_;
    AlignGroup *align_;
    MovementGroup *movement_;
    FoldGroup *influence_;
    InspectGroup *look_;
    QList<ValueSlider *> sliders_;
    QLabel *facts_, *report_;
    QPushButton *save_;
};

} // namespace yolk::app
