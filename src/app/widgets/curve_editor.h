// A curve whose points are dragged, over the histogram of what it makes.
#pragma once

#include "base/point.h"

#include <QWidget>

#include <array>
#include <optional>

namespace yolk::app {

class CurveEditor : public QWidget {
    Q_OBJECT
public:
    explicit CurveEditor(QWidget *parent = nullptr);
    void setPoints(const PointList &points); ///< emits nothing; the same number keeps the chosen one
    void setHistogram(const std::array<float, 256> &shares);
    void setColour(const QColor &colour) { colour_ = colour; } ///< of the curve; invalid: of text
    int chosen() const { return chosen_; }
    QPointF placeOf(const Point &point) const; ///< widget pixels

    QSize sizeHint() const override { return {272, 200}; }
    QSize minimumSizeHint() const override { return {160, 140}; }

Q_SIGNALS:
    void changed(const yolk::PointList &points, const QString &gesture); ///< by hand

protected:
    void paintEvent(QPaintEvent *) override;
    void mousePressEvent(QMouseEvent *event) override;
    void mouseMoveEvent(QMouseEvent *event) override;
    void mouseDoubleClickEvent(QMouseEvent *event) override;
    void mouseReleaseEvent(QMouseEvent *) override { dragging_ = false; }
    void keyPressEvent(QKeyEvent *event) override;

private:
    QRectF field() const;
    Point pointAt(const QPointF &position) const;
    std::optional<int> handleAt(const QPointF &position) const;
    void move(int index, Point to, const QString &gesture);
    void remove(int index);

    PointList points_;
    std::array<float, 256> histogram_{};
    QColor colour_;
    int chosen_ = -1;
    bool dragging_ = false;
    QString gesture_;
};

} // namespace yolk::app
