// The real window with a demo set in it, and waiting until what it shows has come to rest.
#pragma once

#include "canvas/canvas.h"
#include "main_window.h"
#include "support/demo_data.h"
#include "theme/theme.h"

#include <QSettings>
#include <QTemporaryDir>
#include <QTest>

#include <memory>

namespace yolk::test {

using namespace yolk::app;

class OpenedWindow {
public:
    /// Its settings are a folder of its own. Fails the test when the set does not open.
    explicit OpenedWindow(const QString &demoSet, const QSize &size = {1280, 800})
    {
        QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings_.path());
        Theme::instance().install();
        window_ = std::make_unique<MainWindow>();
        window_->resize(size);
        document().setViewBudget({}); // whatever the machine has to do besides, views are whole
        window_->show();
        window_->activateWindow();
        (void)QTest::qWaitForWindowActive(window_.get());
        document().open(demoPaths(demoSet));
        settle();
    }
    MainWindow &operator*() const { return *window_; }
    MainWindow *operator->() const { return window_.get(); }
    Document &document() const { return *window_->document(); }
    Canvas &canvas() const { return *window_->canvas(); }

    /// Until the full merge stands on the canvas and nothing is under way.
    void settle() const
    {
        const auto busy = [&] {
            return !document().isOpen() || !document().fullMergeReady() ||
                   std::ranges::any_of(document().lanes(), [](Lane *lane) { return lane->busy(); });
        };
        for (int calm = 0, i = 0; calm < 3 && i < 18000; ++i) {
            QTest::qWait(10);
            calm = busy() ? 0 : calm + 1;
        }
        QVERIFY(!busy());
    }
    /// The picture on the canvas once it is as a file would show it: what comes first differs from it in fine detail.
    QImage picture() const
    {
        settle();
        for (int i = 0; i < 500 && !canvas().picture().exact && !document().inspection(); ++i)
            QTest::qWait(10);
        return canvas().picture().image;
    }
    void press(int key, Qt::KeyboardModifiers modifiers = {}) const
    {
        canvas().setFocus();
        QTest::keyClick(&canvas(), Qt::Key(key), modifiers);
        settle();
    }
    /// What stands on the canvas, without what lies over it.
    QImage shown() const { return canvas().grab().toImage(); }

private:
    QTemporaryDir settings_;
    std::unique_ptr<MainWindow> window_;
};

} // namespace yolk::test
