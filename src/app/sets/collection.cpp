#include "sets/collection.h"

#include "document/document.h"
#include "document/screen_picture.h"
#include "widgets/number_text.h"

#include <QDateTime>
#include <QFileInfo>
#include <QTimeZone>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr int kThumbnailSide = 192;
constexpr qsizetype kThumbnailsAtOnce = 8; // so that the first ones show while the rest is read

} // namespace

Collection::Collection(QObject *parent)
    : QObject(parent), lane_(Lane::Policy::CancelRunning, this), thumbnailLane_(Lane::Policy::CancelRunning, this)
{
}

void Collection::load(const QStringList &paths)
{
    auto work = [paths](ExecContext &ctx) {
        Loaded out;
        std::vector<std::optional<FrameFacts>> facts(size_t(paths.size()));
        std::vector<QString> errors(facts.size());
        forEachPart(ctx, int(paths.size()), [&](int i, ExecContext &) {
            try {
                facts[size_t(i)] = factsOf(QFile::encodeName(paths[i]).toStdString());
            } catch (const InputError &e) {
                errors[size_t(i)] = inputErrorText(e);
            }
        });
        std::vector<FrameFacts> readable;
        QStringList readablePaths;
        for (size_t i = 0; i < facts.size(); ++i) {
            const QString &path = paths[qsizetype(i)];
            if (!facts[i]) {
                out.problems << tr("%1. It was left out.").arg(errors[i]);
                continue;
            }
            out.facts.insert(path, *facts[i]);
            readable.push_back(*facts[i]);
            readablePaths << path;
        }
        for (const std::vector<size_t> &group : groupFrames(readable)) {
            QStringList set;
            for (size_t i : group)
                set << readablePaths[qsizetype(i)];
            out.sets << set;
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
                            Q_EMIT changed();
                            Q_EMIT loaded();
                            loadThumbnails();
                        });
}

void Collection::loadThumbnails()
{
    QStringList missing;
    for (const QStringList &set : sets_)
        for (const QString &path : set)
            if (!thumbnails_.contains(path) && missing.size() < kThumbnailsAtOnce)
                missing << path;
    if (missing.isEmpty() || sets_.size() < 2)
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
    double least = 1e300, most = 0.0;
    for (const QString &path : paths)
        if (const auto &exposure = facts(path).exposure) {
            least = std::min(least, *exposure);
            most = std::max(most, *exposure);
        }
    if (most > 0.0)
        parts << tr("over %1 EV").arg(std::round(10.0 * std::log2(most / least)) / 10.0);
    else
        parts << tr("no exposure data");
    return parts.join(QStringLiteral("  ·  "));
}

void Collection::sortByTime(QStringList &set) const
{
    std::ranges::stable_sort(set, {}, [this](const QString &path) { return facts(path).time.value_or(0.0); });
}

void Collection::change(QList<QStringList> sets)
{
    sets.removeIf([](const QStringList &set) { return set.isEmpty(); });
    if (sets == sets_)
        return;
    before_ << sets_;
    sets_ = std::move(sets);
    Q_EMIT changed();
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

void Collection::undo()
{
    if (!canUndo())
        return;
    sets_ = before_.takeLast();
    Q_EMIT changed();
}

} // namespace yolk::app
