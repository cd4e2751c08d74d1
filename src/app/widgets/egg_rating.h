// What somebody thinks of a picture, in eggs: none to five.
#pragma once

#include <QWidget>

namespace yolk::app {

class EggRating : public QWidget {
    Q_OBJECT
public:
    explicit EggRating(int most, QWidget *parent = nullptr);
    int value() const { return value_; }
    void setValue(int eggs); ///< emits nothing
    QSize sizeHint() const override;
    QSize minimumSizeHint() const override { return sizeHint(); }

Q_SIGNALS:
    void rated(int eggs); ///< by hand; the last egg again takes it away

protected:
    void paintEvent(QPaintEvent *) override;
    void mousePressEvent(QMouseEvent *event) override;
    void keyPressEvent(QKeyEvent *event) override;

private:
    void rate(int eggs);
    int most_, value_ = 0;
};

} // namespace yolk::app
