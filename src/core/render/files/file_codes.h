// Finished light in the codes of files.
#pragma once

#include "colour/icc.h"
#include "image/image.h"

#include <cstdint>
#include <memory>
#include <span>
#include <vector>

namespace yolk {

/// Display light to code values: by a transfer function, or through a profile. Threads: any number may code at once.
class FileCoder {
public:
    /// Light is multiplied by `scale` and held within [0, 1] first.
    explicit FileCoder(Transfer transfer, double scale = 1.0);
    explicit FileCoder(const TargetProfile &profile); ///< From light of Rec. 2020. Throws as ProfileTransform.
    /// Codes of row y in [0, 1], three interleaved for each pixel; NaN becomes black. Within 1/8 of a code of 16 bits of
    /// the function itself (a test).
    void code(ImageView<const float> display, int y, std::span<float> codes) const;

private:
    float scale_ = 1.0f;
    std::vector<float> table_; ///< none where a profile codes
    std::shared_ptr<const ProfileTransform> profile_;
};

/// Codes of so many bits, rounded.
void roundCodes(std::span<const float> codes, int bits, std::span<uint16_t> out);
/// 8 bits: rounded up or down by chance, so that the mean of many pixels is the true one and smooth light shows no steps;
/// the two ends stay clean. The same codes whenever row y is asked for.
/// Source: [Roberts1962] Picture coding using pseudo-random noise.
void ditherCodes(std::span<const float> codes, int y, std::span<uint16_t> out);

} // namespace yolk
