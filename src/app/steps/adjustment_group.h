// A group of adjustments: folds, is switched off and on, and returns to how it started.
#pragma once

#include "document/document.h"
#include "recipe/sections.h"
#include "widgets/fold_group.h"

#include <string_view>

namespace yolk::app {

class FieldControls;

class AdjustmentGroup : public FoldGroup {
    Q_OBJECT
public:
    /// `group` as the rows of the core's tables name it; it must live on.
    AdjustmentGroup(Document *document, Step step, std::string_view group, QWidget *parent = nullptr);

protected:
    Document *document() const { return document_; }

private:
    void refresh();
    Document *document_;
    Step step_;
    std::string_view group_;
};

/// A group for each name that a step's settings stand under, with their controls, in the order of the table.
QList<FoldGroup *> adjustmentGroups(Document *document, Step step, FieldControls &controls, QWidget *parent);
/// Returns all settings of a step to the automatic start.
QWidget *startAgainButton(Document *document, Step step, QWidget *parent);

} // namespace yolk::app
