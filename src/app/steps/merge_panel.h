// Merge: which frame is the reference, how much each one counts, what came of it.
#pragma once

#include "document/document.h"
#include "steps/panel.h"

class QComboBox;
class QLabel;
class QPushButton;

namespace yolk::app {

class FoldGroup;

class MergePanel : public Panel {
    Q_OBJECT
public:
    explicit MergePanel(Document *document, QWidget *parent = nullptr);

Q_SIGNALS:
    void saveAsked();

private:
    void refresh();
    void refreshFacts();
    Document *document_;
    QComboBox *reference_;
    FoldGroup *influence_;
    QList<ValueSlider *> sliders_;
    QLabel *facts_;
    QPushButton *save_;
};

} // namespace yolk::app
