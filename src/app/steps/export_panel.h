// Export: the finished picture, and the radiance.
#pragma once

#include "steps/field_controls.h"

class QLabel;

namespace yolk::app {

class ExportPanel : public Panel {
    Q_OBJECT
public:
    explicit ExportPanel(Document *document, QWidget *parent = nullptr);

Q_SIGNALS:
    void exportAsked();
    void radianceAsked();

private:
    void refresh();
    Document *document_;
    FieldControls *controls_;
    QLabel *facts_;
};

} // namespace yolk::app
