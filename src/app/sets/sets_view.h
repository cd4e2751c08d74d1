// The sets of a folder, one row each: look them through, correct the split by dragging frames, open one.
#pragma once

#include "sets/collection.h"

#include <QAbstractButton>
#include <QScrollArea>

class QLabel;
class QPushButton;
class QVBoxLayout;

namespace yolk::app {

/// One frame of a set: can be dragged to another row, or moved by keys.
class SetFrame : public QAbstractButton {
    Q_OBJECT
public:
    SetFrame(const QString &path, QWidget *parent);
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

/// A row that takes frames dropped on it.
class SetRow : public QWidget {
    Q_OBJECT
public:
    SetRow(const QString &title, bool last, QWidget *parent);
    void add(SetFrame *frame);
    QPushButton *open() const { return open_; }

Q_SIGNALS:
    void dropped(const QString &path);

protected:
    void paintEvent(QPaintEvent *) override;
    void dragEnterEvent(QDragEnterEvent *event) override;
    void dragLeaveEvent(QDragLeaveEvent *) override;
    void dropEvent(QDropEvent *event) override;
    void resizeEvent(QResizeEvent *) override;

private:
    void layOut();
    QLabel *title_;
    QPushButton *open_ = nullptr;
    QList<SetFrame *> frames_;
    bool target_ = false;
};

class SetsView : public QScrollArea {
    Q_OBJECT
public:
    explicit SetsView(Collection *collection, QWidget *parent = nullptr);
    const QList<SetRow *> &rows() const { return rows_; }
    void setCurrent(int set); ///< the one that is open; -1: none

Q_SIGNALS:
    void openAsked(int set);

private:
    void rebuild();
    void showThumbnails();
    Collection *collection_;
    QWidget *content_;
    QVBoxLayout *column_;
    QLabel *heading_;
    QList<SetRow *> rows_;
    int current_ = -1;
};

} // namespace yolk::app
