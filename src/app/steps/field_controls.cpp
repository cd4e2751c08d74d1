#include "steps/field_controls.h"

namespace yolk::app {

FieldControls::FieldControls(Document *document, QWidget *parent)
    : QObject(parent), document_(document), parent_(parent)
{
    connect(document, &Document::recipeChanged, this, &FieldControls::refresh);
}

void FieldControls::refresh()
{
    const Recipe &now = document_->recipe();
    const Recipe start = document_->automaticRecipe();
    for (const auto &show : shown_)
        show(now, start);
}

} // namespace yolk::app
