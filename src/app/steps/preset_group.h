// Presets in the tone panel: the one in use and how much of it, and the ways to choose another.
#pragma once

#include "document/document.h"
#include "document/preset_shelf.h"
#include "widgets/fold_group.h"

class QLabel;

namespace yolk::app {

class PresetActions;
class ValueSlider;

class PresetGroup : public FoldGroup {
    Q_OBJECT
public:
    PresetGroup(Document *document, PresetShelf *shelf, QWidget *parent = nullptr);

    QString inUse() const; ///< as it is shown
    ValueSlider *amount() const { return amount_; }
    PresetActions *actions() const { return actions_; }

Q_SIGNALS:
    void tasteAsked();
    void neighboursAsked();
    void failed(const QString &message);

private:
    void refresh();

    Document *document_;
    PresetShelf *shelf_;
    PresetActions *actions_;
    QLabel *inUse_;
    ValueSlider *amount_;
};

} // namespace yolk::app
