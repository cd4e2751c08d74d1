// A question with a few answers, in a box that waits for one of them.
#pragma once

#include <QMessageBox>

#include <initializer_list>

namespace yolk::app {

struct Answer {
    QString text;
    QMessageBox::ButtonRole role = QMessageBox::AcceptRole;
};

/// Which answer was given. Enter takes `silent`; Escape and closing the box take the last one.
int ask(QWidget *parent, QMessageBox::Icon icon, const QString &text, const QString &more,
        std::initializer_list<Answer> answers, int silent);

} // namespace yolk::app
