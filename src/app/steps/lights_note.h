// Says how much of the brightest light ends white although some frame holds it, and brings it back at a click.
#pragma once

#include "document/document.h"

#include <QWidget>

class QLabel;
class QPushButton;

namespace yolk::app {

class LightsNote : public QWidget {
    Q_OBJECT
public:
    explicit LightsNote(Document *document, QWidget *parent = nullptr);
    /// Empty while nothing is given up.
    QString text() const;
    QPushButton *recover() const { return recover_; }

private:
    void refresh();

    Document *document_;
    QLabel *text_;
    QPushButton *recover_;
};

} // namespace yolk::app
