// The shapes of the chosen area: which one is worked on, how it meets those before it, and what it is like.
#pragma once

#include "document/document.h"
#include "steps/struct_controls.h"
#include "widgets/fold_group.h"

class QMenu;
class QPushButton;
class QToolButton;

namespace yolk::app {

class AreaShapeGroup : public FoldGroup {
    Q_OBJECT
public:
    explicit AreaShapeGroup(Document *document, QWidget *parent = nullptr);
    const StructControls<AreaShape> &controls() const { return controls_; }
    QMenu *menu() const { return menu_; } ///< of further shapes

private:
    void refresh();
    void chooseAmong(int count); ///< shows one button a shape, where there are several
    Document *document_;
    Areas *areas_;
    StructControls<AreaShape> controls_;
    ChoiceRow *meets_, *which_ = nullptr;
    QToolButton *addShape_;
    QPushButton *removeShape_;
    QMenu *menu_;
};

} // namespace yolk::app
