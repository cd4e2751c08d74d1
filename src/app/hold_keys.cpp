#include "hold_keys.h"

#include <QApplication>
#include <QKeyEvent>
#include <QWidget>

namespace yolk::app {
namespace {

bool takesText(const QWidget *widget)
{
    return widget && (widget->inputMethodQuery(Qt::ImEnabled).toBool() || widget->inherits("QLineEdit") ||
                      widget->inherits("QAbstractSpinBox"));
}

} // namespace

HoldKeys::HoldKeys(QWidget *window) : QObject(window), window_(window)
{
    qApp->installEventFilter(this);
    connect(qApp, &QGuiApplication::applicationStateChanged, this, [this](Qt::ApplicationState state) {
        if (state != Qt::ApplicationActive)
            letGo();
    });
}

void HoldKeys::add(Qt::Key key, std::function<bool()> press, std::function<void()> release)
{
    actions_.insert(key, {std::move(press), std::move(release)});
}

void HoldKeys::letGo()
{
    if (!held_)
        return;
    const Action action = actions_.value(*held_);
    held_.reset();
    action.release();
}

bool HoldKeys::eventFilter(QObject *watched, QEvent *event)
{
    const QEvent::Type type = event->type();
    if (type == QEvent::WindowDeactivate && watched == window_)
        letGo();
    if (type != QEvent::KeyPress && type != QEvent::KeyRelease)
        return false;
    const auto *key = static_cast<QKeyEvent *>(event);
    if (type == QEvent::KeyRelease) { // wherever it arrives: what is held must not stay
        if (!held_ || key->key() != *held_)
            return false;
        if (!key->isAutoRepeat())
            letGo();
        return true;
    }
    auto *widget = qobject_cast<QWidget *>(watched);
    if (!widget || widget->window() != window_ || !actions_.contains(key->key()) || takesText(widget))
        return false;
    if (key->modifiers() & ~Qt::KeypadModifier)
        return false;
    if (key->isAutoRepeat() || held_ == Qt::Key(key->key()))
        return true;
    letGo();
    const Action action = actions_.value(key->key());
    if (!action.press())
        return false;
    held_ = Qt::Key(key->key());
    return true;
}

} // namespace yolk::app
