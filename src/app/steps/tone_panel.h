// Tone: from radiance to a picture. Every control comes from the core's field table.
#pragma once

#include "document/document.h"
#include "document/preset_shelf.h"
#include "steps/panel.h"

#include <QHash>

namespace yolk::app {

class FoldGroup;
class PresetGroup;

class TonePanel : public Panel {
    Q_OBJECT
public:
    TonePanel(Document *document, PresetShelf *shelf, QWidget *parent = nullptr);
    /// The slider of a setting by its key, as in "exposure".
    ValueSlider *slider(const QString &key) const { return sliders_.value(key); }
    ChoiceRow *choice(const QString &key) const { return choices_.value(key); }
    ChoiceRow *method() const { return choice(QStringLiteral("method")); }
    PresetGroup *presets() const { return presets_; }

private:
    template <class S, class Table> void addControls(S Recipe::*section, const Table &table);
    template <class S, class Table> void showValues(const S &settings, const S &start, const Table &table);
    void refresh();
    Document *document_;
    PresetGroup *presets_;
    QHash<QString, FoldGroup *> groups_;
    QHash<QString, ChoiceRow *> choices_;
    QHash<QString, ValueSlider *> sliders_;
};

} // namespace yolk::app
