// Something that lies over the picture and is moved by hand: handles that are dragged, or chosen by Tab and moved by arrow
// keys.
#pragma once

#include <QObject>
#include <QPointF>
#include <QStringList>
#include <QTransform>

#include <optional>

class QPainter;

namespace yolk::app {

/// Places are pixels of the picture's plane.
class CanvasTool : public QObject {
    Q_OBJECT
public:
    using QObject::QObject;
    static constexpr int kNothing = -1, kBody = -2; ///< beside the numbers of handles

    virtual bool showsPlane() const { return false; } ///< the canvas shows what the crop leaves out as well
    virtual bool showsGrid() const { return false; }
    virtual QList<QPointF> handles() const = 0;
    virtual QString handleName(int handle) const = 0;
    /// What a press there takes: the nearest handle within reach, or what else the tool moves.
    virtual int gripAt(const QPointF &place, double reach) const;
    virtual Qt::CursorShape cursorOver(int grip) const
    {
        return grip == kNothing ? Qt::ArrowCursor : Qt::SizeAllCursor;
    }
    virtual bool takesModifiers() const { return false; } ///< presses with keys held come to it as well
    virtual void setModifiers(Qt::KeyboardModifiers) {}
    virtual void setPressure(double) {}                     ///< of a pen, 0 to 1, before what it does
    virtual void hoverAt(const std::optional<QPointF> &) {} ///< nothing is held; empty: the pointer has left
    virtual void take(int grip, const QPointF &place) = 0;
    virtual void dragTo(const QPointF &place) = 0;
    virtual void letGo() = 0;
    virtual void step(int handle, const QPointF &by) = 0; ///< by a key
    virtual void accept() {}                              ///< Enter
    virtual void giveUp() {}                              ///< Escape
    /// Device pixels; `ratio` of them to a logical one. `chosen`: a handle, or kNothing.
    virtual void paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const = 0;

Q_SIGNALS:
    void changed(); ///< it looks otherwise
};

/// Handles as eggs, and a line of words on a panel-coloured card above `at`; device pixels, as paint().
void paintHandles(QPainter &painter, const QList<QPointF> &at, double ratio, int chosen);
void paintWords(QPainter &painter, const QString &words, const QPointF &at, double ratio);
/// Light on dark, so that it shows on any picture.
void paintLine(QPainter &painter, const QPointF &a, const QPointF &b, double ratio);

} // namespace yolk::app
