// One setting: its name, a value that can be typed, and a track whose fill starts at the neutral value.
#pragma once

#include <QAbstractSlider>
#include <QLineEdit>
#include <QWidget>

namespace yolk::app {

/// What a slider needs to know of its setting; filled from the field tables of the core.
struct SliderSpec {
    QString name, help, unit;
    double minimum = 0.0, maximum = 100.0, neutral = 0.0, step = 1.0;
    int decimals = 0;
};

/// The track with its egg. Works in tenths of a step; arrow keys move a step, with Shift a tenth.
class SliderTrack : public QAbstractSlider {
    Q_OBJECT
public:
    SliderTrack(const SliderSpec &spec, QWidget *parent);
    void setReal(double value);
    double real() const;
    void setStart(double value); ///< where a double click returns to, marked on the track

    QSize sizeHint() const override { return {200, 17}; }
    QSize minimumSizeHint() const override { return {60, 17}; }

Q_SIGNALS:
    void moved(double value, bool dragging); ///< by hand, not by setReal()

protected:
    void paintEvent(QPaintEvent *) override;
    void mousePressEvent(QMouseEvent *event) override;
    void mouseMoveEvent(QMouseEvent *event) override;
    void mouseReleaseEvent(QMouseEvent *event) override;
    void mouseDoubleClickEvent(QMouseEvent *event) override;
    void keyPressEvent(QKeyEvent *event) override;
    void wheelEvent(QWheelEvent *event) override;
    void enterEvent(QEnterEvent *) override { update(); }
    void leaveEvent(QEvent *) override { update(); }

private:
    double xOf(double value) const;
    double valueAt(double x) const;
    void moveTo(double value, bool dragging);
    const SliderSpec spec_;
    double real_, start_;
    double grabOffset_ = 0.0;
};

class ValueSlider : public QWidget {
    Q_OBJECT
public:
    explicit ValueSlider(const SliderSpec &spec, QWidget *parent = nullptr);
    double value() const { return track_->real(); }
    void setValue(double value); ///< shows it; emits nothing
    void setStart(double value) { track_->setStart(value); }
    SliderTrack *track() const { return track_; }
    QLineEdit *edit() const { return edit_; }

Q_SIGNALS:
    /// A change by hand. One `gesture` is one step of undo: it stays the same through a drag or a run of keys.
    void changed(double value, const QString &gesture);

private:
    void showValue();
    void takeTyped();
    const SliderSpec spec_;
    QLineEdit *edit_;
    SliderTrack *track_;
    QString gesture_;
};

} // namespace yolk::app
