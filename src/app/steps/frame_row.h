// One frame of the set: what it is, what it holds, what is odd about it.
#pragma once

#include "frames/bracket.h"

#include <QImage>
#include <QWidget>

#include <optional>

class QCheckBox;
class QLabel;
class QLineEdit;

namespace yolk::app {

class FrameRow : public QWidget {
    Q_OBJECT
public:
    explicit FrameRow(QWidget *parent);
    struct Shown {
        bool reference = false, lookedAt = false;
        QImage thumbnail;
    };
    void show(const BracketFrame &frame, const Shown &shown);
    QCheckBox *use() const { return use_; }
    QLineEdit *ev() const { return ev_; }

Q_SIGNALS:
    void lookAsked();
    void useChanged(bool used);
    void referenceAsked();
    void removeAsked();
    void evTyped(std::optional<double> ev); ///< empty: as measured
    void stepAsked(int direction);          ///< to the row below (+1) or above

protected:
    void paintEvent(QPaintEvent *) override;
    void mousePressEvent(QMouseEvent *event) override;
    void keyPressEvent(QKeyEvent *event) override;
    void focusInEvent(QFocusEvent *) override { update(); }
    void focusOutEvent(QFocusEvent *) override { update(); }
    void contextMenuEvent(QContextMenuEvent *event) override;

private:
    void takeTyped();
    QCheckBox *use_;
    QLabel *picture_, *exposure_, *source_, *shares_, *notices_;
    QLineEdit *ev_;
    QString evShown_;
    bool lookedAt_ = false, usable_ = true, typed_ = false, reference_ = false, used_ = true;
};

} // namespace yolk::app
