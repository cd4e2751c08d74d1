// Mend: the spots, and what the chosen or the next one is like.
#pragma once

#include "document/document.h"
#include "drawing/mend_tool.h"
#include "steps/struct_controls.h"
#include "widgets/fold_group.h"

class QCheckBox;
class QComboBox;
class QLabel;
class QListWidget;
class QPushButton;

namespace yolk::app {

class MendPanel : public Panel {
    Q_OBJECT
public:
    explicit MendPanel(Document *document, QWidget *parent = nullptr);
    MendTool *tool() const { return tool_; }
    QListWidget *list() const { return list_; }
    QPushButton *nextSource() const { return nextSource_; }
    QComboBox *frame() const { return frame_; }
    QListWidget *dustList() const { return dustList_; }
    QPushButton *findDust() const { return findDust_; }
    QPushButton *takeAllDust() const { return takeAll_; }
    QCheckBox *faint() const { return faint_; }
    const StructControls<MendSpot> &controls() const { return controls_; }

private:
    void refresh();
    void refreshList();
    void makeDust();
    void refreshDust();
    void refreshFrames();
    Document *document_;
    Mends *mends_;
    MendTool *tool_;
    StructControls<MendSpot> controls_;
    QLabel *hint_;
    QListWidget *list_;
    QPushButton *nextSource_, *remove_;
    FoldGroup *spot_, *listGroup_;
    QComboBox *frame_;
    FoldGroup *dustGroup_;
    QPushButton *findDust_, *takeAll_, *refuseAll_, *removeDust_;
    QLabel *dustNote_;
    QListWidget *dustList_;
    QCheckBox *faint_;
    bool filling_ = false;
};

} // namespace yolk::app
