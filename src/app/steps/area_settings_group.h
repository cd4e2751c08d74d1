// What the chosen area changes: only the settings that it moves, and a menu of all others.
#pragma once

#include "document/document.h"
#include "widgets/fold_group.h"
#include "widgets/panel.h"

#include <QHash>

#include <string>
#include <vector>

class QMenu;
class QToolButton;

namespace yolk::app {

class AreaSettingsGroup : public FoldGroup {
    Q_OBJECT
public:
    explicit AreaSettingsGroup(Document *document, QWidget *parent = nullptr);
    ValueSlider *strength() const { return strength_; }
    ChoiceRow *side() const { return side_; }
    ValueSlider *amount(const QString &path) const { return amounts_.value(path); } ///< as "tone.exposure"; null: none
    QMenu *menu() const { return menu_; }                                           ///< of further settings

private:
    void ask(const QString &path); ///< shows a setting, at 0 until it is moved
    void fillMenu();
    void refresh();
    AreaAmounts &side(Area &area) const { return outside_ ? area.outside : area.amounts; }

    Document *document_;
    Areas *areas_;
    ValueSlider *strength_;
    ChoiceRow *side_;
    QWidget *box_;
    QVBoxLayout *column_;
    QToolButton *add_;
    QMenu *menu_;
    QHash<QString, ValueSlider *> amounts_;
    std::vector<std::string> asked_; ///< what is shown though it may be 0, while this area is worked on
    bool outside_ = false;
};

} // namespace yolk::app
