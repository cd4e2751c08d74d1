#include "recipe/radiance_settings.h"

namespace yolk {

const Primaries &primariesOf(RadianceSpace space)
{
    switch (space) {
    case RadianceSpace::Rec2020:
        return kRec2020;
    case RadianceSpace::Ap1:
        return kAp1;
    case RadianceSpace::Rec709:
        break;
    }
    return kRec709;
}

} // namespace yolk
