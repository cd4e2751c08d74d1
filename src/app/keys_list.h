// What the keyboard does: every command that has keys, by its menu, and what works while a key is held.
#pragma once

#include <QDialog>

class QLineEdit;
class QMenuBar;
class QTreeWidget;

namespace yolk::app {

/// Scrolls, can be searched by words and by keys, and is never taller than the window it stands over.
class KeysList : public QDialog {
    Q_OBJECT
public:
    KeysList(const QMenuBar *menus, QWidget *parent);

private:
    void add(const QString &group, const QString &keys, const QString &what);
    void find(const QString &words);

    QLineEdit *search_;
    QTreeWidget *list_;
};

} // namespace yolk::app
