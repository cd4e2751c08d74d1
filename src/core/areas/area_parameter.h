// What areas make of one setting.
#pragma once

#include "image/parameter.h"

#include <vector>

namespace yolk {

/// The setting, and on it what each area adds, by its mask or by what that leaves; within the setting's range.
class AreaParameter : public ParameterMap {
public:
    struct Part {
        size_t mask; ///< of PixelGrid::masks
        bool outside;
        float amount;
    };
    AreaParameter(std::vector<Part> parts, double least, double most);
    void fill(const PixelGrid &grid, int y, std::span<float> values) const override;

private:
    std::vector<Part> parts_;
    float least_, most_;
};

} // namespace yolk
