// A line above the canvas that says what could be done, with a button for each way to do it.
#pragma once

#include <QFrame>
#include <QList>

#include <functional>

class QHBoxLayout;
class QLabel;
class QPushButton;

namespace yolk::app {

class OfferStrip : public QFrame {
    Q_OBJECT
public:
    struct Way {
        QString name, help;
        std::function<void()> take;
    };
    explicit OfferStrip(QWidget *parent = nullptr);
    /// Replaces what was offered. Each way, and leaving it, ends the offer; without a word for leaving it stays.
    void offer(const QString &text, const QList<Way> &ways, const QString &leave);
    void withdraw();
    QString text() const;                           ///< empty while nothing is offered
    QPushButton *button(const QString &name) const; ///< null: there is none

private:
    QLabel *text_;
    QHBoxLayout *layout_;
    QList<QPushButton *> buttons_;
};

} // namespace yolk::app
