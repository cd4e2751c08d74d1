// Tone: from radiance to a picture. Every control comes from the core's field table.
#pragma once

#include "document/document.h"
#include "steps/panel.h"

#include <QHash>

namespace yolk::app {

class TonePanel : public Panel {
    Q_OBJECT
public:
    explicit TonePanel(Document *document, QWidget *parent = nullptr);
    /// The slider of a setting by its key, as in "exposure".
    ValueSlider *slider(const QString &key) const { return sliders_.value(key); }
    ChoiceRow *method() const { return method_; }

private:
    void refresh();
    Document *document_;
    ChoiceRow *method_ = nullptr;
    QHash<QString, ValueSlider *> sliders_;
};

} // namespace yolk::app
