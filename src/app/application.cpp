#include "application.h"

#include <new>

namespace yolk::app {

bool Application::notify(QObject *receiver, QEvent *event)
{
    // Qt ends the program when an exception leaves a handler. None should; one that does must not cost the work.
    try {
        return QApplication::notify(receiver, event);
    } catch (const std::bad_alloc &) {
        Q_EMIT failed(tr("There is not enough memory for that. The work is still open."));
    } catch (const std::exception &e) {
        Q_EMIT failed(tr("That could not be done: %1. The work is still open.").arg(QString::fromUtf8(e.what())));
    }
    return true;
}

} // namespace yolk::app
