// Frames: one row a frame, dark to bright, what the set holds, and what is done to frames before they are merged.
#pragma once

#include "document/document.h"
#include "widgets/panel.h"

class QLabel;
class QPushButton;

namespace yolk::app {

class FrameRow;
class LensGroup;
class ResponseGroup;
class WhiteGroup;

class FramesPanel : public Panel {
    Q_OBJECT
public:
    explicit FramesPanel(Document *document, QWidget *parent = nullptr);
    const QList<FrameRow *> &rows() const { return shown_; }
    WhiteGroup *white() const { return white_; }
    LensGroup *lens() const { return lens_; }

Q_SIGNALS:
    void addAsked();

private:
    void refresh();
    FrameRow *newRow(size_t index);
    Document *document_;
    QLabel *coverage_, *notices_;
    QPushButton *leaveOut_;
    QWidget *rows_;
    QVBoxLayout *rowLayout_;
    QList<FrameRow *> made_, shown_; // rows are made ahead; shown are the first of them
    WhiteGroup *white_;
    LensGroup *lens_;
    ResponseGroup *response_;
};

} // namespace yolk::app
