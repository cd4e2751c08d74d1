// A ring of hues with the picture's own hues round it, and marks on it that are dragged.
#pragma once

#include "adjust/hue_marks.h"

#include <QImage>
#include <QWidget>

#include <array>
#include <optional>
#include <vector>

namespace yolk::app {

/// The ring itself stands for colours as they are; a mark stands inside or outside of it by its strength, and beside its
/// hue by its turn. A line joins it to the hue that it is for, an arc shows its width.
class HueRing : public QWidget {
    Q_OBJECT
public:
    static constexpr int kBins = 120;

    explicit HueRing(QWidget *parent = nullptr);
    void setMarks(const std::vector<HueMark> &marks, int selected); ///< emits nothing
    void setPicture(const QImage &picture);                         ///< whose hues are drawn round the ring
    const std::array<double, kBins> &shares();
    int selected() const { return selected_; }
    QPointF placeOf(const HueMark &mark) const; ///< widget pixels
    QPointF placeOfHue(double degrees) const;   ///< in the middle of the ring

    QSize sizeHint() const override { return {272, 232}; }
    QSize minimumSizeHint() const override { return {160, 160}; }

Q_SIGNALS:
    void addAsked(double hue);
    void selectAsked(int mark);
    void removeAsked(int mark);
    void hovered(int mark);                                                   ///< -1: none
    void changed(int mark, const yolk::HueMark &now, const QString &gesture); ///< by hand

protected:
    void paintEvent(QPaintEvent *) override;
    void resizeEvent(QResizeEvent *) override { ring_ = {}; }
    void mousePressEvent(QMouseEvent *event) override;
    void mouseMoveEvent(QMouseEvent *event) override;
    void mouseReleaseEvent(QMouseEvent *event) override;
    void wheelEvent(QWheelEvent *event) override;
    void keyPressEvent(QKeyEvent *event) override;
    void leaveEvent(QEvent *) override { hoverOver(-1); }

private:
    void hoverOver(int mark);
    double radius() const; ///< of the ring's middle
    QPointF at(double degrees, double radius) const;
    double hueAt(const QPointF &position) const;
    std::optional<int> markAt(const QPointF &position) const;
    void paintRing();

    std::vector<HueMark> marks_;
    int selected_ = -1;
    void count(const QImage &picture);
    QImage picture_;
    bool isCounted_ = true;
    std::array<double, kBins> shares_{}; ///< by chroma, the largest 1
    QImage ring_;                        ///< painted once for a size
    int hovered_ = -1;
    bool dragging_ = false;
    QString gesture_;
};

} // namespace yolk::app
