// A group of controls under a heading that folds it away.
#pragma once

#include <QWidget>

class QCheckBox;
class QHBoxLayout;
class QToolButton;
class QVBoxLayout;

namespace yolk::app {

class FoldGroup : public QWidget {
    Q_OBJECT
public:
    explicit FoldGroup(const QString &name, QWidget *parent = nullptr);
    void add(QWidget *widget);
    void addFirst(QWidget *widget);                  ///< above what is there
    void addAfter(QWidget *before, QWidget *widget); ///< below one that is there
    void setName(const QString &name);               ///< what the heading says
    void setOpen(bool open);
    /// In the heading: off and on, and back to the start; for groups that can be.
    void addSwitch();
    void showSwitch(bool on, bool changed); ///< emits nothing

Q_SIGNALS:
    void switched(bool on);
    void returnAsked();

private:
    void showState();
    QToolButton *heading_;
    QHBoxLayout *top_;
    QCheckBox *switch_ = nullptr;
    QToolButton *return_ = nullptr;
    QWidget *body_;
    QVBoxLayout *layout_;
};

} // namespace yolk::app
