// A group of adjustments: folds, is switched off and on, and returns to how it started.
#pragma once

#include "document/document.h"
#include "recipe/sections.h"
#include "widgets/fold_group.h"

#include <string_view>

namespace yolk::app {

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

} // namespace yolk::app
