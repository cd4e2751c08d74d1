// What belongs to the person and the machine, not to a picture.
#pragma once

#include <QDialog>

class QComboBox;
class QFormLayout;
class QLabel;
class QMenu;
class QSpinBox;

namespace yolk::app {

class PreferencesDialog : public QDialog {
    Q_OBJECT
public:
    /// Menus whose checkable commands are choices, shown as one line each, by their name; strips that are shown or not.
    PreferencesDialog(const QList<std::pair<QString, QMenu *>> &choices, const QList<QAction *> &strips,
                      QWidget *parent = nullptr);
    QSpinBox *threads() const { return threads_; }
    QSpinBox *cache() const { return cache_; }
    static void apply(); ///< what is stored, at the start of the program

private:
    void addChoice(QFormLayout *form, const QString &name, QMenu *menu);
    void refreshUsed();
    QSpinBox *threads_, *cache_;
    QLabel *used_;
};

} // namespace yolk::app
