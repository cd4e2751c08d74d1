// Frames: one row a frame, dark to bright; which ones count, what each holds and what is odd about it.
#pragma once

#include "document/document.h"
#include "steps/panel.h"

class QCheckBox;
class QLabel;
class QPushButton;

namespace yolk::app {

class FrameRow : public QWidget {
    Q_OBJECT
public:
    explicit FrameRow(QWidget *parent);
    void show(const BracketFrame &frame, bool reference, const QImage &thumbnail);
    QCheckBox *use() const { return use_; }

private:
    QCheckBox *use_;
    QLabel *picture_, *exposure_, *shares_, *notices_;
};

class FramesPanel : public Panel {
    Q_OBJECT
public:
    explicit FramesPanel(Document *document, QWidget *parent = nullptr);

Q_SIGNALS:
    void addAsked();

private:
    void refresh();
    void setUsed(size_t index, bool used);
    Document *document_;
    QLabel *notices_;
    QWidget *rows_;
    QVBoxLayout *rowLayout_;
    QList<FrameRow *> shown_;
};

} // namespace yolk::app
