// What stands on the canvas while nothing is open: what to drop, and the demo sets.
#pragma once

#include "document/demo_sets.h"
#include "document/recent_work.h"

#include <QFrame>

class QLabel;
class QPushButton;

namespace yolk::app {

class EmptyState : public QFrame {
    Q_OBJECT
public:
    explicit EmptyState(const std::vector<DemoSet> &sets, QWidget *parent = nullptr);
    void setReading(const QString &what); ///< empty: waiting for frames
    void setRecent(const QList<RecentWork> &works);

Q_SIGNALS:
    void openAsked();
    void demoAsked(const QStringList &frames);
    void recentAsked(const yolk::app::RecentWork &work);

private:
    QLabel *heading_, *words_;
    QPushButton *open_;
    QWidget *sets_;   ///< one row per demo set
    QWidget *recent_; ///< one row per work
};

} // namespace yolk::app
