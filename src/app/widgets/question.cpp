#include "widgets/question.h"

#include "theme/theme.h"

#include <QApplication>
#include <QPushButton>

namespace yolk::app {

int ask(QWidget *parent, QMessageBox::Icon icon, const QString &text, const QString &more,
        std::initializer_list<Answer> answers, int silent)
{
    QMessageBox box(QMessageBox::NoIcon, QApplication::applicationDisplayName(), text, QMessageBox::NoButton, parent);
    constexpr int kIcon = 32;
    if (icon == QMessageBox::Warning)
        box.setIconPixmap(themedPixmap(QStringLiteral("triangle-alert"), kIcon, tokens().text, box.devicePixelRatioF()));
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
