// The light scale: one axis in stops of scene light. On it stand a bar per frame from its noise floor to its clipping
// point, the histogram of the merged scene, what no frame holds (hatched), the tone curve and its five zone handles.
#pragma once

#include "document/document.h"

#include <QWidget>

#include <optional>

namespace yolk::app {

class LightScale : public QWidget {
    Q_OBJECT
public:
    explicit LightScale(Document *document, QWidget *parent = nullptr);

    /// Draws the line of the pixel under the pointer; empty removes it.
    void setProbe(const std::optional<Probe> &probe);

    QPointF handlePosition(int zone) const; ///< in widget pixels
    int currentHandle() const { return current_; }
    double xOfEv(double ev) const;
    QPointF spanEnd(bool high) const; ///< of an area made of stops that is worked on, widget pixels; null: none
    QString sentence() const;         ///< what it says in words about the set

    QRectF outputBox() const;             ///< of the output's histogram, widget pixels; empty where there is no room
    QPointF barPosition(int frame) const; ///< on the bar of a frame, in widget pixels

    QSize sizeHint() const override { return {800, 152}; }
    QSize minimumSizeHint() const override { return {400, 152}; }

protected:
    void paintEvent(QPaintEvent *) override;
    void resizeEvent(QResizeEvent *) override { update(); }
    void mousePressEvent(QMouseEvent *event) override;
    void mouseMoveEvent(QMouseEvent *event) override;
    void mouseReleaseEvent(QMouseEvent *) override;
    void mouseDoubleClickEvent(QMouseEvent *event) override;
    void leaveEvent(QEvent *) override;
    void keyPressEvent(QKeyEvent *event) override;
    void keyReleaseEvent(QKeyEvent *event) override;
    void focusInEvent(QFocusEvent *) override { update(); }
    void focusOutEvent(QFocusEvent *) override;
    bool event(QEvent *event) override;

private:
    enum class Grip { None, Window, Low, High }; ///< what of the peek's window is held
    QRect outputPart() const; ///< that holds the output's histogram with its words and nothing else; may be empty
    bool isPeeking() const;
    bool showsTone() const; ///< the curve is that of what is on the canvas
    double evAt(double x) const;
    bool onAxis(const QPointF &position) const;
    Grip gripAt(const QPointF &position) const;
    void beginPeek(const QPointF &position);
    void dragPeek(const QPointF &position);
    bool peekKey(const QKeyEvent &event);
    void paintPeek(QPainter &painter) const;
    const AreaShape *span() const; ///< of stops, that is worked on; null: none
    Grip spanGripAt(const QPointF &position) const;
    void dragSpan(const QPointF &position);

    QRectF plot() const; ///< bars and curve
    QRectF curveArea() const;
    double yOfLightness(double lightness) const;
    int handleNear(const QPointF &position) const; ///< -1: none
    int barAt(const QPointF &position) const;      ///< of a usable frame; -1: none
    double barsHeight() const;                     ///< all frames together
    double barPitch() const;
    double headEv(const BracketFrame &frame) const; ///< where its bar ends: clipping; of radiance its brightest
    double floorEv(const BracketFrame &frame, double snr) const; ///< where it begins; of radiance its darkest
    void findRange();
    void nudge(int direction, bool fine);

    void paintWords(QPainter &painter) const;
    void paintAxis(QPainter &painter) const;
    void paintLimits(QPainter &painter) const;
    void paintHistogram(QPainter &painter) const;
    void paintHill(QPainter &painter, const SceneHistogram &of, double most, const QBrush &brush) const;
    void paintSpan(QPainter &painter) const;
    void paintBars(QPainter &painter) const;
    void paintCurve(QPainter &painter) const;
    void paintProbe(QPainter &painter) const;
    void paintOutput(QPainter &painter) const;

    Document *document_;
    std::optional<Probe> probe_;
    double firstEv_ = -12.0, lastEv_ = 8.0;
    int current_ = 2, hovered_ = -1, hoveredBar_ = -1;
    bool dragging_ = false;
    Grip grip_ = Grip::None, spanGrip_ = Grip::None;
    double gripOffset_ = 0.0; ///< EV from the pointer to what is held
    QPointF grabOffset_;
    QString gesture_;
};

} // namespace yolk::app
