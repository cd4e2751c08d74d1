#include "document/movement_text.h"

#include "widgets/number_text.h"

#include <algorithm>

namespace yolk::app {

std::vector<size_t> placesToShow(const MergedSet &merged)
{
    std::vector<size_t> out;
    for (size_t i = 0; i < merged.movement.places.size(); ++i)
        if (!merged.movement.places[i].slight)
            out.push_back(i);
    return out;
}

size_t largePlaces(const MergedSet &merged)
{
    constexpr double kSmall = 2e-3; // of the picture: some 45 x 45 pixels of a screen's million
    const double least = kSmall * double(merged.fullWidth) * merged.fullHeight / (merged.reduction * merged.reduction);
    const std::vector<size_t> places = placesToShow(merged); // larger ones first
    const auto large = std::ranges::count_if(places, [&](size_t i) {
        const MovedPlace &p = merged.movement.places[i];
        return p.byHand || p.removed || p.pixels >= least;
    });
    return large > 0 ? size_t(large) : std::min<size_t>(1, places.size());
}

QString movementSummary(const MergedSet &merged)
{
    const size_t count = placesToShow(merged).size(), large = largePlaces(merged);
    if (count == 0)
        return Document::tr("nothing moved");
    QString places = large == 1 ? Document::tr("1 place") : Document::tr("%1 places").arg(large);
    if (count > large)
        places = count - large == 1 ? Document::tr("%1 and 1 small one").arg(places)
                                    : Document::tr("%1 and %2 small ones").arg(places).arg(count - large);
    return Document::tr("%1, %2 of the picture").arg(places, percentText(merged.movement.share()));
}

QString placeText(const Document &document, const MergedSet &merged, size_t index)
{
    const MovedPlace &place = merged.movement.places[index];
    const int frame = document.numberOf(merged.frameIds[place.frame]).value_or(0);
    const int keeper = document.numberOf(merged.frameIds[merged.movement.keeper]).value_or(0);
    if (place.byHand)
        return Document::tr("Taken from frame %1, as you said.").arg(frame);
    if (place.removed)
        return Document::tr("What was in the way is gone; most of it is frame %1.").arg(frame);
    constexpr double kAll = 0.995; // shown as 100 %
    if (place.frame == merged.movement.keeper)
        return place.keeperHolds >= kAll
                   ? Document::tr("Taken from frame %1, the keeper.").arg(frame)
                   : Document::tr(
                         "Taken from frame %1, the keeper; others stand in where it is clipped or too dark: %2.")
                         .arg(frame)
                         .arg(percentText(1.0 - place.keeperHolds));
    constexpr double kMost = 0.5;
    if (place.keeperHolds > kMost)
        return Document::tr(
                   "Taken from frame %1, which shows all of it. Part of what the keeper, frame %2, clips there "
                   "no other frame bears out.")
            .arg(frame)
            .arg(keeper);
    return Document::tr("Taken from frame %1: the keeper, frame %2, is clipped or too dark in %3 of it.")
        .arg(frame)
        .arg(keeper)
        .arg(percentText(1.0 - place.keeperHolds));
}

QString regionText(const Document &document, const HandRegion &region)
{
    if (region.task != HandTask::TakeFrom) {
        const auto *choice = std::ranges::find(kHandTasks, region.task, &Choice<HandTask>::value);
        return QString::fromUtf8(choice->name.data(), qsizetype(choice->name.size()));
    }
    const auto number = document.numberOf(region.frame);
    return number ? Document::tr("Take from frame %1").arg(*number)
                  : Document::tr("Take from a frame that is not in use: found by itself");
}

} // namespace yolk::app
