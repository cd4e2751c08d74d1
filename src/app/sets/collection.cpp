#include "sets/collection.h"

#include "document/document.h"
#include "document/error_text.h"
#include "document/kept_work.h"
#include "document/screen_picture.h"
#include "frames/sorting.h"
#include "widgets/number_text.h"

#include <QDateTime>
#include <QFileInfo>
#include <QTimeZone>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr int kThumbnailSide = 192, kCardSide = 480; // pixels: on a screen of twice the density
constexpr qsizetype kThumbnailsAtOnce = 8;           // so that the first ones show while the rest is read

} // namespace

Collection::Collection(QObject *parent)
    : QObject(parent), lane_(Lane::Policy::CancelRunning, this), thumbnailLane_(Lane::Policy::CancelRunning, this),
      cardLane_(Lane::Policy::Queue, this)
{
}

void Collection::load(const QStringList &paths)
{
    auto work = [paths, group = group_](ExecContext &ctx) {
        std::vector<std::string> files;
        for (const QString &path : paths)
            files.push_back(QFile::encodeName(path).toStdString());
        const SortedFrames sorted = sortIntoSets(files, group, ctx);
        Loaded out;
        QStringList readable;
        for (size_t i = 0; i < sorted.paths.size(); ++i) {
            readable << QFile::decodeName(sorted.paths[i].c_str());
            out.facts.insert(readable.back(), sorted.facts[i]);
        }
        for (const InputError &problem : sorted.problems)
            out.problems << tr("%1. It was left out.").arg(inputErrorText(problem));
        for (const std::vector<size_t> &set : sorted.sets) {
            QStringList frames;
            for (const size_t i : set)
                frames << readable[qsizetype(i)];
            out.sets << frames;
        }
        return out;
    };
    lane_.start<Loaded>(tr("Sorting %1 into sets").arg(countedFrames(paths.size())), work,
                        [this](Outcome<Loaded> outcome) {
                            if (!outcome.error.isEmpty())
                                Q_EMIT failed(outcome.error);
                            if (!outcome.result)
                                return;
                            facts_ = std::move(outcome.result->facts);
                            sets_ = std::move(outcome.result->sets);
                            problems_ = std::move(outcome.result->problems);
                            before_.clear();
                            cards_.clear();
                            thumbnails_.clear();
                            cancelEdits();
                            Q_EMIT changed();
                            Q_EMIT loaded();
                        });
}

void Collection::loadThumbnails()
{
    QStringList missing;
    for (const QString &path : framesWanted_)
        if (!thumbnails_.contains(path) && missing.size() < kThumbnailsAtOnce)
            missing << path;
    if (missing.isEmpty())
        return;
    using Pictures = QHash<QString, QImage>;
    auto work = [missing](ExecContext &ctx) {
        std::vector<QImage> images(size_t(missing.size()));
        forEachPart(ctx, int(missing.size()), [&](int i, ExecContext &own) {
            try {
                const FramePtr frame = loadFrame(QFile::encodeName(missing[i]).toStdString());
                images[size_t(i)] = frameThumbnail(*frame, kThumbnailSide, own);
            } catch (const InputError &) {
                images[size_t(i)] = QImage(1, 1, QImage::Format_RGB32); // said when the set is opened
                images[size_t(i)].fill(Qt::gray);
            }
        });
        Pictures out;
        for (size_t i = 0; i < images.size(); ++i)
            out.insert(missing[qsizetype(i)], images[i]);
        return out;
    };
    thumbnailLane_.start<Pictures>({}, work, [this](Outcome<Pictures> outcome) {
        if (!outcome.result)
            return;
        thumbnails_.insert(*outcome.result);
        Q_EMIT thumbnailsChanged();
        loadThumbnails();
    });
}

QString Collection::title(int set) const
{
    const QStringList &paths = sets_[set];
    QStringList parts{countedFrames(paths.size())};
    if (const auto &time = facts(paths.front()).time)
        parts << QDateTime::fromSecsSinceEpoch(qint64(*time), QTimeZone::utc()).toString(QStringLiteral("HH:mm:ss"));
    const bool isKnown =
        std::ranges::any_of(paths, [this](const QString &path) { return facts(path).exposure.has_value(); });
    parts << (isKnown ? tr("over %1 EV").arg(std::round(10.0 * range(set)) / 10.0) : tr("no exposure data"));
    return parts.join(QStringLiteral("  ·  "));
}

double Collection::range(int set) const
{
    double least = 1e300, most = 0.0;
    for (const QString &path : sets_[set])
        if (const auto &exposure = facts(path).exposure) {
            least = std::min(least, *exposure);
            most = std::max(most, *exposure);
        }
    return most > 0.0 ? std::log2(most / least) : 0.0;
}

void Collection::sortByTime(QStringList &set) const
{
    std::ranges::stable_sort(set, {}, [this](const QString &path) { return facts(path).time.value_or(0.0); });
}

bool Collection::change(QList<QStringList> sets, Undo undo)
{
    sets.removeIf([](const QStringList &set) { return set.isEmpty(); });
    if (sets == sets_)
        return false;
    if (undo == Undo::OfItsOwn)
        before_ << sets_;
    wasSplitLast_ = false;
    sets_ = std::move(sets);
    Q_EMIT changed();
    return true;
}

void Collection::move(const QString &path, int toSet)
{
    QList<QStringList> sets = sets_;
    for (QStringList &set : sets)
        set.removeAll(path);
    if (toSet >= 0 && toSet < sets.size()) {
        sets[toSet] << path;
        sortByTime(sets[toSet]);
    } else {
        sets << QStringList{path};
    }
    change(sets);
}

void Collection::splitAt(const QString &path)
{
    QList<QStringList> sets = sets_;
    for (qsizetype i = 0; i < sets.size(); ++i)
        if (const qsizetype at = sets[i].indexOf(path); at > 0) {
            sets.insert(i + 1, sets[i].mid(at));
            sets[i] = sets[i].mid(0, at);
            break;
        }
    change(sets);
}

void Collection::join(const QList<int> &sets)
{
    QList<int> order = sets;
    std::ranges::sort(order);
    if (order.size() < 2 || order.front() < 0 || order.back() >= sets_.size())
        return;
    QList<QStringList> next = sets_;
    for (qsizetype i = 1; i < order.size(); ++i) {
        next[order.front()] += next[order[i]];
        next[order[i]].clear();
    }
    sortByTime(next[order.front()]);
    change(next);
}

void Collection::split(int group)
{
    group_ = group;
    QStringList paths;
    std::vector<FrameFacts> facts;
    for (const QStringList &set : sets_)
        for (const QString &path : set) {
            paths << path;
            facts.push_back(this->facts(path));
        }
    QList<QStringList> next;
    for (const std::vector<size_t> &set : group > 0 ? inGroupsOf(size_t(group), facts) : groupFrames(facts)) {
        QStringList frames;
        for (const size_t i : set)
            frames << paths[qsizetype(i)];
        next << frames;
    }
    // A number that is dragged is one step of undo.
    if (change(next, wasSplitLast_ ? Undo::WithTheOneBefore : Undo::OfItsOwn))
        wasSplitLast_ = true;
}

// ---- cards

QString Collection::keyOf(const QStringList &paths)
{
    return paths.join(QLatin1Char('\n'));
}

const SetCard &Collection::card(int set) const
{
    static const SetCard none;
    const auto found = cards_.constFind(keyOf(sets_[set]));
    return found == cards_.constEnd() ? none : *found;
}

void Collection::want(const QList<int> &sets)
{
    wanted_.clear();
    for (const int set : sets)
        wanted_ << sets_[set];
    makeNext();
}

void Collection::wantFrames(int set)
{
    framesWanted_ = set >= 0 && set < sets_.size() ? sets_[set] : QStringList();
    loadThumbnails();
}

void Collection::edit(const QList<int> &sets, const SetChange &change)
{
    for (const int set : sets) {
        const QString key = keyOf(sets_[set]);
        edits_.append({key, sets_[set], change});
        SetCard &card = cards_[key]; // shown at once; what the disk says comes after
        card.rating = change.rating.value_or(card.rating);
        card.chosen = change.chosen.value_or(card.chosen);
    }
    Q_EMIT cardsChanged();
    Q_EMIT editsChanged();
    makeNext();
}

void Collection::cancelEdits()
{
    edits_.clear();
    leftAlone_ = 0;
    awaited_.clear();
    whenMade_ = {};
    Q_EMIT editsChanged();
}

void Collection::remake(int set)
{
    if (set < 0 || set >= sets_.size())
        return;
    cards_[keyOf(sets_[set])].isMade = false; // the picture before stays until then
    Q_EMIT cardsChanged();
    makeNext();
}

bool Collection::isWorkUnknown(int set) const
{
    return !card(set).isMade && mayHaveWork(sets_[set]);
}

void Collection::whenMade(const QList<int> &sets, const std::function<void()> &then)
{
    awaited_.clear();
    for (const int set : sets)
        awaited_ << sets_[set];
    whenMade_ = then;
    makeNext();
}

/// What was asked for goes first, then what somebody waits for, then what is looked at.
void Collection::makeNext()
{
    if (cardLane_.busy())
        return;
    std::optional<Edit> edit;
    QStringList paths;
    if (!edits_.isEmpty()) {
        edit = edits_.takeFirst();
        paths = edit->paths;
        editing_ = 1;
    } else {
        const auto missing = [this](const QStringList &set) { return !cards_.value(keyOf(set)).isMade; };
        for (const QList<QStringList> *list : {&awaited_, &wanted_})
            if (const auto first = std::find_if(list->begin(), list->end(), missing);
                paths.isEmpty() && first != list->end())
                paths = *first;
        if (whenMade_ && std::none_of(awaited_.begin(), awaited_.end(), missing)) {
            const auto then = std::exchange(whenMade_, {});
            awaited_.clear();
            then();
            return makeNext();
        }
    }
    if (paths.isEmpty())
        return;
    const auto work = [paths, edit, known = cards_.value(keyOf(paths)).known](ExecContext &ctx) {
        return makeCard(paths, kCardSide, edit ? &edit->change : nullptr, known, ctx);
    };
    cardLane_.start<SetCard>(edit ? edit->change.what : QString(), work, [this, paths, edit](Outcome<SetCard> outcome) {
        editing_ = 0;
        if (outcome.result) {
            if (edit && edit->change.settings && outcome.result->isWorkedOnByHand)
                ++leftAlone_;
            SetCard &card = cards_[keyOf(paths)];
            card = std::move(*outcome.result);
            for (const Edit &later : edits_) // what is not kept yet is shown all the same
                if (later.paths == paths) {
                    card.rating = later.change.rating.value_or(card.rating);
                    card.chosen = later.change.chosen.value_or(card.chosen);
                }
            Q_EMIT cardsChanged();
        }
        if (edit) {
            Q_EMIT editsChanged();
            if (edits_.isEmpty())
                Q_EMIT edited(edit->change, std::exchange(leftAlone_, 0));
        }
        makeNext();
    });
}

void Collection::undo()
{
    if (!canUndo())
        return;
    sets_ = before_.takeLast();
    wasSplitLast_ = false;
    Q_EMIT changed();
}

} // namespace yolk::app
