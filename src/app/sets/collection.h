// Many frames at once: which of them are one set. Lives on the window's thread.
#pragma once

#include "frames/grouping.h"
#include "jobs/lane.h"
#include "sets/set_card.h"

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
    /// So many frames a set from now on, in the order of taking; 0: as time and exposures say.
    void split(int group);
    int group() const { return group_; }
    const QList<QStringList> &sets() const { return sets_; } ///< paths, in the order of taking
    const QStringList &problems() const { return problems_; }
    void dismissProblems() { problems_.clear(); }
    bool isEmpty() const { return sets_.isEmpty(); }
    bool isReading() const { return lane_.busy(); }
    const FrameFacts &facts(const QString &path) const { return facts_.find(path).value(); }
    QImage thumbnail(const QString &path) const { return thumbnails_.value(path); }
    /// "5 frames, 05:48:01, −4 to +4 EV".
    QString title(int set) const;
    double range(int set) const; ///< EV between its shortest and longest exposure; 0: not known

    // ---- what becomes of the sets
    /// Of what was made so far; a card that is not made says nothing.
    const SetCard &card(int set) const;
    /// Which sets are looked at, nearest first: their cards are made in this order, and those of the others never.
    void want(const QList<int> &sets);
    void wantFrames(int set); ///< small pictures of its frames
    /// Changes sets one after the other in the background; nothing newer waits behind a card. A set of which a change is
    /// under way gets the next one after it.
    void edit(const QList<int> &sets, const SetChange &change);
    void remake(int set); ///< its card, after the set was worked on
    /// Whether nothing is known yet of a set that may have been worked on: its card has to be made first.
    bool isWorkUnknown(int set) const;
    int editsLeft() const { return int(edits_.size()) + editing_; }
    void cancelEdits();
    /// Calls `then` once the cards of all these sets are made.
    void whenMade(const QList<int> &sets, const std::function<void()> &then);

    // ---- corrections by hand; empty sets vanish
    void move(const QString &path, int toSet); ///< the number of sets: to a new one behind the last
    void splitAt(const QString &path);         ///< this frame and those behind it become a set of their own
    void join(const QList<int> &sets);         ///< to one, where the first of them stands
    bool canUndo() const { return !before_.isEmpty(); }
    void undo();

Q_SIGNALS:
    void changed(); ///< the sets
    void loaded();  ///< after load(): the sets are there
    void thumbnailsChanged();
    void cardsChanged();
    void editsChanged();                                 ///< editsLeft()
    void edited(const SetChange &change, int leftAlone); ///< all are done; so many sets had been worked on by hand
    void failed(const QString &message);                 ///< in words for people

private:
    struct Loaded {
        QHash<QString, FrameFacts> facts;
        QList<QStringList> sets;
        QStringList problems;
    };
    enum class Undo { OfItsOwn, WithTheOneBefore };
    bool change(QList<QStringList> sets, Undo undo = Undo::OfItsOwn);
    void loadThumbnails();
    void makeNext();
    void sortByTime(QStringList &set) const;
    QHash<QString, FrameFacts> facts_;
    QList<QStringList> sets_;
    QList<QList<QStringList>> before_; // for undo
    QStringList problems_;
    QHash<QString, QImage> thumbnails_;
    struct Edit {
        QString key;
        QStringList paths;
        SetChange change;
    };
    static QString keyOf(const QStringList &paths);
    int group_ = 0;
    bool wasSplitLast_ = false;
    QHash<QString, SetCard> cards_; // by the paths of the frames: sets move
    QList<QStringList> wanted_;
    QList<Edit> edits_;
    int editing_ = 0, leftAlone_ = 0;
    QList<QStringList> awaited_;
    std::function<void()> whenMade_;
    QStringList framesWanted_; // whose small pictures are looked at
    Lane lane_, thumbnailLane_, cardLane_;
};

} // namespace yolk::app
