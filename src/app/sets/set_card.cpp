#include "sets/set_card.h"

#include "document/error_text.h"
#include "document/kept_work.h"
#include "document/screen_picture.h"
#include "project/opened_set.h"
#include "render/files/output.h"
#include "render/stages/align_stage.h"
#include "render/views/picture.h"

#include <QCoreApplication>
#include <QFileInfo>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr size_t kCacheBytes = size_t(512) << 20;

QString words(const char *text)
{
    return QCoreApplication::translate("SetCard", text);
}

QString asSentence(QString text)
{
    if (!text.isEmpty())
        text[0] = text[0].toUpper();
    return text;
}

QImage pictureOf(const OpenedSet &set, const Recipe &recipe, int side, ExecContext &ctx)
{
    Recipe quick = recipe; // as the first picture of an opened set: small parallax does not show
    quick.align.local = AlignMode::Off;
    const RenderPlan plan(set.sources, set.measured, quick);
    const Rect area = pictureArea(plan);
    const Shape shape = fittedSize(area.width(), area.height(), side, side);
    const Image<float> picture =
        render(plan, OutputSpace::Srgb, {previewReduction(set.sources), realOf(area), shape.width, shape.height}, ctx);
    return screenPicture(picture.view(), nullptr, ctx);
}

Project newWork(std::span<const FramePtr> frames, const Measured &measured)
{
    Project out;
    for (const FramePtr &frame : frames)
        out.frames.push_back(projectFrameOf(*frame));
    out.history = History(automaticStart(measured));
    out.measured = measured;
    return out;
}

/// Does what is asked to the work of a set and keeps it. Throws OutputError.
void apply(const SetChange &change, const OpenedSet &set, const QString &path, SetCard &card)
{
    Project work = set.work ? *set.work : newWork(set.sources.frames, set.measured);
    work.measured = set.measured;
    for (const FramePtr &frame : set.damaged)
        addMissing(work, projectFrameOf(*frame));
    if (change.rating)
        work.rating = *change.rating;
    if (change.chosen)
        work.chosen = *change.chosen;
    if (change.settings && (change.overHand || !isWorkedOnByHand(work))) {
        work.history.push(change.settings(work.history.current(), set.start, set.measured), change.what.toStdString());
        work.across = hashOfSettings(work.history.current());
    }
    const auto claim = claimWork(path);
    if (!claim) {
        card.isOpenElsewhere = true;
        card.troubles.prepend(words("Its work is open in another window: it was left as it is"));
        return;
    }
    const QString folder = QFileInfo(QFile::decodeName(set.sources.frames.front()->path.c_str())).absolutePath();
    work.folder = QFileInfo(path).absolutePath() == folder ? std::string() : folder.toStdString();
    keepWork(path, work);
    card.project = path;
    card.rating = work.rating;
    card.chosen = work.chosen;
    card.isWorkedOnByHand = isWorkedOnByHand(work);
    card.recipe = work.history.current();
}

} // namespace

SetCard makeCard(const QStringList &paths, int side, const SetChange *change, const KnownSet &known, ExecContext &ctx)
{
    SetCard card;
    card.isMade = true;
    std::vector<std::string> files;
    for (const QString &path : paths)
        files.push_back(QFile::encodeName(path).toStdString());
    try {
        QString place;
        const auto findWork = [&](std::span<const FramePtr> frames) {
            KeptWork kept = keptWorkOf(frames);
            place = kept.path;
            if (kept.project)
                card.project = kept.path;
            if (!kept.problem.isEmpty())
                card.troubles << kept.problem;
            if (!kept.project && known.isOf(frames))
                kept.project = newWork(frames, *known.measured);
            return std::move(kept.project);
        };
        const OpenedSet set = openSet(files, findWork, kCacheBytes, ctx);
        for (const InputError &problem : set.problems)
            card.troubles << words("%1; it is left out").arg(inputErrorText(problem));
        if (set.work) {
            card.rating = set.work->rating;
            card.chosen = set.work->chosen;
            card.isWorkedOnByHand = isWorkedOnByHand(*set.work);
        }
        card.recipe = set.recipe;
        card.known.measured = std::make_shared<const Measured>(set.measured);
        for (const FramePtr &frame : set.sources.frames)
            card.known.ids.push_back(frame->id);
        if (change)
            apply(*change, set, place, card);
        const Bracket bracket = bracketOf(set.sources, set.measured, card.recipe);
        for (const BracketFrame &f : bracket.frames)
            if (!f.usable && !f.notices.empty() && !card.recipe.frames.excluded.contains(f.frame->id))
                card.troubles << QStringLiteral("%1: %2").arg(QString::fromStdString(f.frame->name),
                                                              QString::fromStdString(f.notices.front()));
        for (const std::string &notice : bracket.notices)
            card.troubles << asSentence(QString::fromStdString(notice));
        const Metadata &said = bracket.frames[bracket.reference].frame->metadata;
        card.hasExposureData = said.exposureSeconds && said.iso && said.fNumber;
        card.picture = pictureOf(set, card.recipe, side, ctx);
    } catch (const Cancelled &) {
        throw;
    } catch (const InputError &e) {
        card.troubles << inputErrorText(e);
    } catch (const std::bad_alloc &) {
        card.troubles << words("There is not enough memory for it");
    } catch (const std::exception &e) {
        card.troubles << asSentence(QString::fromUtf8(e.what()));
    }
    return card;
}

namespace {

WhitePoint whiteOf(const Recipe &recipe, const Measured &measured)
{
    switch (recipe.white.mode) {
    case WhiteMode::AsShot:
        return measured.asShot;
    case WhiteMode::Automatic:
        return measured.automaticWhite;
    case WhiteMode::Own:
        break;
    }
    return {recipe.white.temperature, recipe.white.tint};
}

double middleOf(std::vector<double> values)
{
    std::ranges::sort(values);
    const size_t half = values.size() / 2;
    return values.size() % 2 ? values[half] : 0.5 * (values[half - 1] + values[half]);
}

} // namespace

SameRoom sameRoomOf(const std::vector<const SetCard *> &cards)
{
    constexpr double kMega = 1e6; // mired
    std::vector<double> mired, tint, brightness;
    for (const SetCard *card : cards) {
        if (!card->known.measured)
            continue;
        const WhitePoint white = whiteOf(card->recipe, *card->known.measured);
        mired.push_back(kMega / white.temperature);
        tint.push_back(white.tint);
        if (card->hasExposureData)
            brightness.push_back(card->recipe.tone.exposure + std::log2(card->known.measured->anchorExposure));
    }
    SameRoom out;
    if (mired.empty())
        return out;
    out.white = {std::clamp(kMega / middleOf(mired), kWarmestWhite, kCoolestWhite), middleOf(tint)};
    if (brightness.size() == mired.size()) // else they cannot be told from each other
        out.brightness = middleOf(brightness);
    return out;
}

Recipe inRoom(const Recipe &recipe, const Measured &measured, const SameRoom &room)
{
    Recipe out = recipe;
    out.white = {WhiteMode::Own, room.white.temperature, room.white.tint};
    constexpr double kMost = 12.0; // EV, of the setting
    if (room.brightness)
        out.tone.exposure = std::clamp(*room.brightness - std::log2(measured.anchorExposure), -kMost, kMost);
    return out;
}

} // namespace yolk::app
