// Mend: the spots, and what the chosen or the next one is like.
#pragma once

#include "document/document.h"
#include "drawing/mend_tool.h"
#include "steps/struct_controls.h"
#include "widgets/fold_group.h"

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
    const StructControls<MendSpot> &controls() const { return controls_; }

private:
    void refresh();
    void refreshList();
    Document *document_;
    Mends *mends_;
    MendTool *tool_;
    StructControls<MendSpot> controls_;
    QLabel *hint_;
    QListWidget *list_;
    QPushButton *nextSource_, *remove_;
    FoldGroup *spot_, *listGroup_;
    bool filling_ = false;
};

} // namespace yolk::app
