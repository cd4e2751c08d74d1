// Connected places on the grid of cells, and what was drawn by hand there.
#pragma once

#include "movement/movement.h"

namespace yolk {

/// Places by number, 1 to count; 0 is none.
struct Places {
    Image<uint8_t> core;   ///< 1 where something moved
    Image<uint16_t> of;    ///< the place of a cell: its core with a margin where frames agree
    Image<uint8_t> weight; ///< 0 to kFullWeight: how far a decision holds, soft at the rim of the margin
    int wide = 0; ///< places up to this number are of things; what comes after is narrow: edges that do not meet
    int count = 0;
};
inline constexpr double kLeastThing = 4e-4; // of the picture: smaller places are not worth a name
inline constexpr int kFullWeight = 127, kMostPlaces = 60000;

/// Calls visit(place, x, y) for all cells where something moved; places from 1.
template <class Visit> void forEachCore(const Places &places, Visit &&visit)
{
    for (int y = 0; y < places.of.height(); ++y)
        for (int x = 0; x < places.of.width(); ++x)
            if (places.core.row(0, y)[x] && places.of.row(0, y)[x])
                visit(size_t(places.of.row(0, y)[x]), x, y);
}

/// What surely moved (disagreement above 1) with all that perhaps did and touches it, closed to whole things. Places
/// reach on through `unseen` cells (1), where nobody can tell whether something moved. Beyond kMostPlaces nothing
/// counts.
Places placesIn(const Image<float> &disagreement, const Image<uint8_t> &unseen);

/// The same where frames do not lie on each other closely: things are what moves under a loose fit, with what moves
/// under a close one and is wide and touches them, or hangs on that. There are no narrow places, and none of less than
/// kLeastThing.
Places placesIn(const Image<float> &loose, const Image<float> &close, const Image<uint8_t> &unseen);

/// 1 in the cells of things: what is wide, closed to wholes, of kLeastThing at least; with a margin, in parts of the
/// width.
Image<uint8_t> wideMovement(const Image<float> &disagreement, double margin);

/// 1 in cells that were drawn on. `cell` pixels to a cell.
Image<uint8_t> drawnCells(const DrawnRegion &region, int cell, int width, int height);

/// Makes the drawn cells a place of their own, with a soft rim where there is no other.
void addPlace(const Image<uint8_t> &drawn, Places &places);

} // namespace yolk
