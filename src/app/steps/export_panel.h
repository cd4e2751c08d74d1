// Export: the finished picture, and the radiance.
#pragma once

#include "document/document.h"
#include "steps/panel.h"

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
    ChoiceRow *space_ = nullptr;
    ValueSlider *quality_ = nullptr;
    QLabel *facts_;
};

} // namespace yolk::app
