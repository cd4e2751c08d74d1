// Which frame decides in each place.
#pragma once

#include "movement/standing_p.h"

#include <optional>

namespace yolk {

struct KeeperRequest {
    std::optional<size_t> chosen; ///< by hand
    size_t preferred = 0;         ///< among equals
    bool brought = false;         ///< onto each other: then the preferred one lies more surely than any other
};

struct Keepers {
    size_t ofAll = 0; ///< the chosen one, or that of all places together
    std::vector<PlaceKeeper> ofPlace;
    std::vector<double> held; ///< of each place: the share that `ofAll` shows, neither clipped nor lost in noise
    Image<uint16_t> instead;  ///< as standingFrames() takes it: lights that are whole elsewhere, and the reference
};

/// `drawn`: of the last places. Where something is to be removed, the keeper of all is what shows it.
Keepers keepersOf(const std::vector<CellFrame> &frames, const Places &places, std::span<const PlaceKeeper> drawn,
                  const KeeperRequest &request, CloseComparisons &close, ExecContext &ctx);

/// Where frames had to be brought onto each other, those of a place that show the same stand a little beside each other
/// at every edge of what is near. So where a keeper shows no other state than the reference, which is where neither a
/// place is found between these two nor nobody can tell, the reference stands in its places, if it shows its light as
/// well. `unseen` as for placesIn(), `response` as for compare().
void keepReference(const std::vector<CellFrame> &frames, const Places &places, const Image<uint8_t> &unseen,
                   size_t reference, double response, CloseComparisons &close, Keepers &keepers, ExecContext &ctx);

} // namespace yolk
