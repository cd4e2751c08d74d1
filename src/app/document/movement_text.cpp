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

QString movementSummary(const MergedSet &merged)
{
    const int count = int(placesToShow(merged).size());
    if (count == 0)
        return Document::tr("nothing moved");
    const QString share = percentText(merged.movement.share());
    return count == 1 ? Document::tr("1 place, %1 of the picture").arg(share)
                      : Document::tr("%1 places, %2 of the picture").arg(count).arg(share);
}

QString placeText(const Document &document, const MergedSet &merged, size_t index)
{
    const MovedPlace &place = merged.movement.places[index];
    const int frame = document.numberOf(merged.frameIds[place.frame]).value_or(0);
    const int keeper = document.numberOf(merged.frameIds[merged.movement.keeper]).value_or(0);
    if (place.byHand)
        return Document::tr("Taken from frame %1, as you said.").arg(frame);
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
