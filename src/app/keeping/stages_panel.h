// All groups of settings in the order of work: what each changed, a switch, a strength and a name.
#pragma once

#include "document/document.h"
#include "widgets/panel.h"

class QLabel;

namespace yolk::app {

class StageRow;

class StagesPanel : public Panel {
    Q_OBJECT
public:
    explicit StagesPanel(Document *document, QWidget *parent = nullptr);
    StageRow *row(const QString &key) const; ///< of a group; null: there is none

private:
    void refresh();
    Document *document_;
    QLabel *frames_; ///< what stands in no group
    QList<StageRow *> rows_;
};

} // namespace yolk::app
