// What was found to move, in words.
#pragma once

#include "document/document.h"

namespace yolk::app {

/// "3 places, 1.2 % of the picture"; "nothing moved".
/// How many of those are large enough to be called things; the others are small ones: leaves, ripples.
size_t largePlaces(const MergedSet &merged);
QString movementSummary(const MergedSet &merged);

/// Indices of the places that are things or were drawn: those to jump to.
std::vector<size_t> placesToShow(const MergedSet &merged);

/// Why a place shows what it shows: "frame 2, the keeper" or "frame 1; the keeper, frame 3, holds 61 % of it".
QString placeText(const Document &document, const MergedSet &merged, size_t place);

/// "Take from frame 2".
QString regionText(const Document &document, const HandRegion &region);

} // namespace yolk::app
