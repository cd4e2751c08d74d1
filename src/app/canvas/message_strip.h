// A line above the canvas that says what went wrong, where it happened, until it is dismissed.
#pragma once

#include <QFrame>
#include <QStringList>

class QLabel;
class QToolButton;

namespace yolk::app {

class MessageStrip : public QFrame {
    Q_OBJECT
public:
    explicit MessageStrip(QWidget *parent = nullptr);
    /// Shows the lines, the first few of many; hides when there are none.
    void setLines(const QStringList &lines, bool warning = true);
    QString text() const;

Q_SIGNALS:
    void dismissed();

private:
    void paintIcon();
    QLabel *icon_, *text_;
    QToolButton *close_;
    bool warning_ = true;
};

} // namespace yolk::app
