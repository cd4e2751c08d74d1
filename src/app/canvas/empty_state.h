// What stands on the canvas while nothing is open: what to drop, and the demo set.
#pragma once

#include <QFrame>

class QLabel;
class QPushButton;

namespace yolk::app {

class EmptyState : public QFrame {
    Q_OBJECT
public:
    explicit EmptyState(bool demoAvailable, QWidget *parent = nullptr);
    void setReading(const QString &what); ///< empty: waiting for frames

Q_SIGNALS:
    void openAsked();
    void demoAsked();

private:
    QLabel *heading_, *words_;
    QPushButton *open_, *demo_;
    bool demoAvailable_;
};

} // namespace yolk::app
