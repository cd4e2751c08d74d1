// Many frames at once: which of them are one set. Lives on the window's thread.
#pragma once

#include "frames/grouping.h"
#include "jobs/lane.h"

#include <QHash>
#include <QImage>
#include <QObject>
#include <QStringList>

namespace yolk::app {

class Collection : public QObject {
    Q_OBJECT
public:
    explicit Collection(QObject *parent = nullptr);

    /// Reads what the files say and splits them into sets; files that cannot be read are named in problems().
    void load(const QStringList &paths);
    const QList<QStringList> &sets() const { return sets_; } ///< paths, in the order of taking
    const QStringList &problems() const { return problems_; }
    void dismissProblems() { problems_.clear(); }
    bool isEmpty() const { return sets_.isEmpty(); }
    bool isReading() const { return lane_.busy(); }
    const FrameFacts &facts(const QString &path) const { return facts_.find(path).value(); }
    QImage thumbnail(const QString &path) const { return thumbnails_.value(path); }
    /// "5 frames, 05:48:01, −4 to +4 EV".
    QString title(int set) const;

    // ---- corrections by hand; empty sets vanish
    void move(const QString &path, int toSet); ///< the number of sets: to a new one behind the last
    void splitAt(const QString &path);         ///< this frame and those behind it become a set of their own
    bool canUndo() const { return !before_.isEmpty(); }
    void undo();

Q_SIGNALS:
    void changed(); ///< the sets
    void loaded();  ///< after load(): the sets are there
    void thumbnailsChanged();
    void failed(const QString &message); ///< in words for people

private:
    struct Loaded {
        QHash<QString, FrameFacts> facts;
        QList<QStringList> sets;
        QStringList problems;
    };
    void change(QList<QStringList> sets);
    void loadThumbnails();
    void sortByTime(QStringList &set) const;
    QHash<QString, FrameFacts> facts_;
    QList<QStringList> sets_;
    QList<QList<QStringList>> before_; // for undo
    QStringList problems_;
    QHash<QString, QImage> thumbnails_;
    Lane lane_, thumbnailLane_;
};

} // namespace yolk::app
