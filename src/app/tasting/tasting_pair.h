// Two pictures held side by side, as large as there is room, each with its name.
#pragma once

#include <QImage>
#include <QWidget>

#include <array>

namespace yolk::app {

class TastingPair : public QWidget {
    Q_OBJECT
public:
    explicit TastingPair(QWidget *parent = nullptr);

    void setAspect(double aspect); ///< width over height
    void setNames(const QString &left, const QString &right);
    void setPicture(int side, const QImage &picture); ///< 0 left, 1 right; null while it is made
    const QImage &picture(int side) const { return pictures_[size_t(side)]; }
    QSizeF pictureSize() const; ///< logical pixels

Q_SIGNALS:
    void laidOut(); ///< pictures have another size

protected:
    void paintEvent(QPaintEvent *) override;
    void resizeEvent(QResizeEvent *) override { Q_EMIT laidOut(); }

private:
    std::array<QImage, 2> pictures_;
    std::array<QString, 2> names_;
    double aspect_ = 1.5;
};

} // namespace yolk::app
