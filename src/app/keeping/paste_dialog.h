// Which of the settings that were copied another picture takes.
#pragma once

#include "recipe/copied_settings.h"

#include <QDialog>

class QTreeWidget;
class QPushButton;

namespace yolk::app {

class PasteDialog : public QDialog {
    Q_OBJECT
public:
    /// At first those are chosen that were changed there.
    PasteDialog(const CopiedSettings &copied, QWidget *parent = nullptr);
    std::set<std::string> groups() const; ///< keys of those that are chosen
    QTreeWidget *list() const { return list_; }

private:
    void refresh();
    QTreeWidget *list_;
    QPushButton *paste_;
};

} // namespace yolk::app
