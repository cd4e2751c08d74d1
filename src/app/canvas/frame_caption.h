// Says over the picture that a single frame is shown, which one, and how to come back.
#pragma once

#include "document/document.h"

#include <QFrame>

class QLabel;
class QToolButton;

namespace yolk::app {

class FrameCaption : public QFrame {
    Q_OBJECT
public:
    explicit FrameCaption(Document *document, QWidget *parent = nullptr);
    QString text() const;

private:
    void refresh();
    Document *document_;
    QLabel *words_;
    QToolButton *darker_, *brighter_, *back_;
};

} // namespace yolk::app
