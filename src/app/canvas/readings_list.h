// The pinned sample points and what they read, over a corner of the canvas.
#pragma once

#include "document/document.h"

#include <QFrame>

namespace yolk::app {

class ReadingsList : public QFrame {
    Q_OBJECT
public:
    explicit ReadingsList(Document *document, QWidget *parent = nullptr);
    QStringList rows() const; ///< as shown, one line for each pin

protected:
    void paintEvent(QPaintEvent *) override;
    void mousePressEvent(QMouseEvent *event) override;
    void mouseMoveEvent(QMouseEvent *event) override;
    bool event(QEvent *event) override;

private:
    void refresh();
    int rowAt(const QPointF &position) const; ///< whose cross lies there; -1: none
    Document *document_;
};

/// "+1.3 EV   201 190 170   79 75 67 %": scene light, code values, their share of white.
QString readingText(const Reading &reading);

} // namespace yolk::app
