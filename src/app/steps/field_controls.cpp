#include "steps/field_controls.h"

namespace yolk::app {

FieldControls::FieldControls(Document *document, QWidget *parent)
    : QObject(parent), document_(document), parent_(parent)
{
    connect(document, &Document::recipeChanged, this, &FieldControls::refresh);
}

QString FieldControls::pathAt(const QWidget *widget) const
{
    for (; widget && widget != parent_; widget = widget->parentWidget())
        for (auto it = controls_.begin(); it != controls_.end(); ++it)
            if (it.value() == widget)
                return it.key();
    return {};
}

const NumericSetting *FieldControls::setting(const QString &path) const
{
    const auto at = settings_.find(path);
    return at == settings_.end() ? nullptr : &at->second;
}

void FieldControls::refresh()
{
    const Recipe &now = document_->recipe();
    const Recipe start = document_->automaticRecipe();
    for (const auto &show : shown_)
        show(now, start);
}

} // namespace yolk::app
