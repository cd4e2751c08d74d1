// The program round the window. What an event handler throws ends here: it is said, and the work stays open.
#pragma once

#include <QApplication>

namespace yolk::app {

class Application : public QApplication {
    Q_OBJECT
public:
    using QApplication::QApplication;
    bool notify(QObject *receiver, QEvent *event) override;

Q_SIGNALS:
    void failed(const QString &message); ///< in words for people
};

} // namespace yolk::app
