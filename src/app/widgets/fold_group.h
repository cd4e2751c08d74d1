// A group of controls under a heading that folds it away.
#pragma once

#include <QWidget>

class QToolButton;
class QVBoxLayout;

namespace yolk::app {

class FoldGroup : public QWidget {
    Q_OBJECT
public:
    explicit FoldGroup(const QString &name, QWidget *parent = nullptr);
    void add(QWidget *widget);
    void setOpen(bool open);

private:
    void showState();
    QToolButton *heading_;
    QWidget *body_;
    QVBoxLayout *layout_;
};

} // namespace yolk::app
