#include "steps/finish_panel.h"

#include "steps/adjustment_group.h"

namespace yolk::app {

FinishPanel::FinishPanel(Document *document, QWidget *parent)
    : Panel(parent), controls_(new FieldControls(document, this))
{
    for (FoldGroup *group : adjustmentGroups(document, Step::Finish, *controls_, this))
        add(group);
    add(startAgainButton(document, Step::Finish, this));
    addStretch();
}

} // namespace yolk::app
