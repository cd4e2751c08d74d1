// How sure what was measured of a set is, and what would make it surer, in one line.
#pragma once

#include "frames/bracket.h"

#include <string>

namespace yolk {

/// The weakest point of the analysis in words for people: a frame that could not be aligned, an exposure that is a guess
/// or an estimate, an unsure curve; else that all is sure. Empty for a single frame and for radiance.
std::string surenessSentence(const Bracket &bracket, const Response &response, ResponseChoice choice);

} // namespace yolk
