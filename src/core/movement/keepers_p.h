// Which frame decides in each place.
#pragma once

#include "movement/standing_p.h"

#include <optional>

namespace yolk {

struct KeeperRequest {
    std::optional<size_t> chosen; ///< by hand
    size_t preferred = 0;         ///< among equals
    bool mayReplace = true;       ///< frames lie on each other as they were shot, so that any may stand for the whole
};

struct Keepers {
    size_t ofAll = 0; ///< the chosen one, or that of all places together
    std::vector<PlaceKeeper> ofPlace;
    std::vector<double> held; ///< of each place: the share that `ofAll` shows, neither clipped nor lost in noise
    Image<uint16_t> lights;   ///< as lightsElsewhere() has it
};

/// `drawn`: of the last places. Where something is to be removed, the keeper of all is what shows it.
Keepers keepersOf(const std::vector<CellFrame> &frames, const Places &places, std::span<const PlaceKeeper> drawn,
                  const KeeperRequest &request, CloseComparisons &close, ExecContext &ctx);

} // namespace yolk
