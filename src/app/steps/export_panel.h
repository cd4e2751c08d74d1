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
    std::vector<std::function<void(const RadianceSettings &)>> shown_; ///< brings each row of the radiance up to date
};

} // namespace yolk::app
