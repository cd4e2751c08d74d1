// Presets in the tone panel: a group, its presets, how much of the chosen one, and the user's own.
#pragma once

#include "document/document.h"
#include "document/preset_shelf.h"
#include "widgets/fold_group.h"

#include <functional>

class QComboBox;
class QListWidget;
class QPushButton;

namespace yolk::app {

class ValueSlider;

class PresetGroup : public FoldGroup {
    Q_OBJECT
public:
    PresetGroup(Document *document, PresetShelf *shelf, QWidget *parent = nullptr);

    QComboBox *groups() const { return groups_; }
    QListWidget *list() const { return list_; }
    ValueSlider *amount() const { return amount_; }
    QString group() const; ///< that is shown
    void setGroup(const QString &group);
    /// Keeps the present settings; empty names are refused with a message.
    void keep(const QString &name, const QString &group, const std::set<std::string> &parts);

Q_SIGNALS:
    void tasteAsked(); ///< the presets of the group
    void variationsAsked();
    void failed(const QString &message);

private:
    void takeGroups();
    void takePresets();
    void refresh();
    void askAndKeep();
    void askAndChange();
    void askAndImport();
    void askAndExport();
    QString chosen() const;
    /// Runs what may fail and says why it did.
    void attempt(const std::function<void()> &work);

    Document *document_;
    PresetShelf *shelf_;
    QComboBox *groups_;
    QListWidget *list_;
    ValueSlider *amount_;
    QPushButton *taste_, *variations_, *own_;
};

} // namespace yolk::app
