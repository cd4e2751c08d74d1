// Keys that act while they are held: looking through a frame, holding the picture against another, the loupe. Whatever
// happens in between, letting go leads back: a release, another window, a dialog.
#pragma once

#include <QHash>
#include <QObject>

#include <functional>
#include <optional>

class QWidget;

namespace yolk::app {

class HoldKeys : public QObject {
    Q_OBJECT
public:
    /// Watches the keys of `window` wherever in it the focus is, but for fields that take text.
    explicit HoldKeys(QWidget *window);
    /// `press` returns whether it took the key.
    void add(Qt::Key key, std::function<bool()> press, std::function<void()> release);
    std::optional<Qt::Key> held() const { return held_; }

protected:
    bool eventFilter(QObject *watched, QEvent *event) override;

private:
    struct Action {
        std::function<bool()> press;
        std::function<void()> release;
    };
    void letGo();
    QWidget *window_;
    QHash<int, Action> actions_;
    std::optional<Qt::Key> held_; // one at a time: a second key waits for nothing
};

} // namespace yolk::app
