// The line at the foot of the window: zoom, the pixel under the pointer, and what is being worked on.
#pragma once

#include "document/document.h"

#include <QTimer>
#include <QWidget>

class QLabel;
class QProgressBar;
class QToolButton;

namespace yolk::app {

class StatusLine : public QWidget {
    Q_OBJECT
public:
    explicit StatusLine(Document *document, QWidget *parent = nullptr);
    void setZoom(double zoom, bool fitted);
    void setReading(const std::optional<Reading> &reading);
    void setAboutPicture(bool on);    ///< whether zoom and readings say something of what is shown
    void say(const QString &message); ///< a short word of success, for some seconds
    QString job() const;
    QString reading() const;

private:
    void showJobs();
    Document *document_;
    QLabel *zoom_, *pixel_, *job_;
    QProgressBar *progress_;
    QToolButton *cancel_;
    QString said_;
    QTimer saying_;
};

} // namespace yolk::app
