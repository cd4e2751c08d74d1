#include "widgets/question.h"

#include <QApplication>
#include <QPushButton>

namespace yolk::app {

int ask(QWidget *parent, QMessageBox::Icon icon, const QString &text, const QString &more,
        std::initializer_list<Answer> answers, int silent)
{
    QMessageBox box(icon, QApplication::applicationDisplayName(), text, QMessageBox::NoButton, parent);
    box.setInformativeText(more);
    QList<QAbstractButton *> buttons;
    for (const Answer &answer : answers)
        buttons << box.addButton(answer.text, answer.role);
    box.setDefaultButton(qobject_cast<QPushButton *>(buttons[silent]));
    box.setEscapeButton(buttons.back());
    box.exec();
    return int(buttons.indexOf(box.clickedButton()));
}

} // namespace yolk::app
