// Looking into the merge: what is shown in place of the picture.
#pragma once

#include "document/document.h"
#include "widgets/fold_group.h"

class QComboBox;

namespace yolk::app {

class ChoiceRow;
class ValueSlider;

class InspectGroup : public FoldGroup {
    Q_OBJECT
public:
    explicit InspectGroup(Document *document, QWidget *parent = nullptr);
    ChoiceRow *choice() const { return choice_; }
    ValueSlider *exposure() const { return exposure_; }
    ValueSlider *from() const { return from_; }
    ValueSlider *to() const { return to_; }
    QComboBox *frame() const { return frame_; }

private:
    void refresh();
    Document *document_;
    ChoiceRow *choice_;
    ValueSlider *exposure_, *from_, *to_;
    QComboBox *frame_;
};

} // namespace yolk::app
