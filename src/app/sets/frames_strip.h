// The frames of a set: correct the split by dragging them onto cards, or by keys.
#pragma once

#include "sets/collection.h"

#include <QAbstractButton>
#include <QScrollArea>

class QLabel;

namespace yolk::app {

/// One frame of a set: can be dragged onto another card, or moved by keys.
class SetFrame : public QAbstractButton {
    Q_OBJECT
public:
    SetFrame(const QString &path, QWidget *parent);
    static QString mime(); ///< of what is dragged: its path
    const QString &path() const { return path_; }
    void setImage(const QImage &image);
    QSize sizeHint() const override { return {96, 82}; }

Q_SIGNALS:
    void moveAsked(int direction); ///< to the set before (-1) or behind (+1)
    void splitAsked();

protected:
    void paintEvent(QPaintEvent *) override;
    void mousePressEvent(QMouseEvent *event) override;
    void mouseMoveEvent(QMouseEvent *event) override;
    void keyPressEvent(QKeyEvent *event) override;
    void contextMenuEvent(QContextMenuEvent *event) override;

private:
    QString path_;
    QImage image_;
    QPoint pressed_;
};

/// The frames of one set in a row, to be scrolled sideways.
class FramesStrip : public QScrollArea {
    Q_OBJECT
public:
    explicit FramesStrip(Collection *collection, QWidget *parent = nullptr);
    void show(int set); ///< its frames; -1: none
    int set() const { return set_; }
    const QList<SetFrame *> &frames() const { return frames_; }

private:
    void rebuild();
    void showThumbnails();
    Collection *collection_;
    QWidget *content_;
    QLabel *heading_;
    QList<SetFrame *> frames_;
    QStringList paths_;
    int set_ = -1;
};

} // namespace yolk::app
