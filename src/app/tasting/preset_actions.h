// What can be done with presets of one's own: keep, change, remove, bring in and hand out.
#pragma once

#include "document/document.h"
#include "document/preset_shelf.h"

#include <functional>

class QMenu;

namespace yolk::app {

class PresetActions : public QObject {
    Q_OBJECT
public:
    /// Dialogs open over `over`.
    PresetActions(Document *document, PresetShelf *shelf, QWidget *over);

    /// Adds the commands; those that need a preset are for `name`, which may be none or one of ours.
    void fill(QMenu *menu, const QString &name);
    /// Keeps the present settings; empty names are refused with a message.
    void keep(const QString &name, const QString &group, const std::set<std::string> &parts);

Q_SIGNALS:
    void failed(const QString &message);

private:
    void askAndKeep();
    void askAndChange(const QString &name);
    void askAndImport();
    void askAndExport(const QString &name);
    /// Runs what may fail and says why it did.
    void attempt(const std::function<void()> &work);

    Document *document_;
    PresetShelf *shelf_;
    QWidget *over_;
};

} // namespace yolk::app
