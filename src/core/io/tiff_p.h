// Shared by those who call libtiff.
#pragma once

#include <memory>
#include <string>
#include <tiffio.h>

namespace yolk {

using Tiff = std::unique_ptr<TIFF, void (*)(TIFF *)>;

/// Opens with `mode`, empty when that fails. libtiff's handlers are global and print: the first call silences them.
Tiff openTiff(const std::string &path, const char *mode);

/// Of a DNG of linear light, that libtiff has no name for.
inline constexpr int kLinearRaw = 34892;
/// Whether it is one of floating point, which raw libraries do not read.
bool isLinearFloatDng(TIFF *tiff);

/// Puts another resolution into a TIFF of ours, in pixels an inch. Throws OutputError.
void setResolution(const std::string &path, double pixelsPerInch);

} // namespace yolk
