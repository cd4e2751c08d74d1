#include "colour/monitor.h"

#include "base/errors.h"

#include <lcms2.h>

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

struct CloseProfile {
    void operator()(void *p) const { cmsCloseProfile(p); }
};
using Profile = std::unique_ptr<void, CloseProfile>;

Profile opened(std::span<const std::byte> bytes)
{
    cmsSetLogErrorHandler(nullptr); // errors come back as null results; nothing may be printed
    Profile profile(cmsOpenProfileFromMem(bytes.data(), cmsUInt32Number(bytes.size())));
    if (!profile)
        throw ArgumentError("this is no colour profile, or it is damaged");
    if (cmsGetColorSpace(profile.get()) != cmsSigRgbData)
        throw ArgumentError("this colour profile is not one of an RGB monitor");
    return profile;
}

/// Within the triangle of a space, or on its rim but for rounding.
bool holds(const Primaries &space, const Chromaticity &colour)
{
    constexpr double kRounding = 0.004; // profiles keep primaries in 16 bits after an adaptation
    const auto side = [&](const Chromaticity &a, const Chromaticity &b) {
        return ((b.x - a.x) * (colour.y - a.y) - (b.y - a.y) * (colour.x - a.x)) / std::hypot(b.x - a.x, b.y - a.y);
    };
    return side(space.red, space.green) > -kRounding && side(space.green, space.blue) > -kRounding &&
           side(space.blue, space.red) > -kRounding;
}

} // namespace

MonitorTransform::MonitorTransform(OutputSpace from, std::span<const std::byte> monitor, const TargetProfile *proof)
{
    const Profile to = opened(monitor);
    const std::vector<std::byte> bytes = iccProfile(from);
    const Profile source(cmsOpenProfileFromMem(bytes.data(), cmsUInt32Number(bytes.size())));
    constexpr cmsUInt32Number kFlags =
        cmsFLAGS_NOCACHE | cmsFLAGS_HIGHRESPRECALC; // without its cache of one pixel threads may share it
    const Profile paper = proof ? opened(proof->bytes) : Profile();
    cmsHTRANSFORM transform =
        proof
            ? cmsCreateProofingTransform(
                  source.get(), TYPE_RGB_16, to.get(), TYPE_RGB_8, paper.get(), cmsUInt32Number(proof->intent),
                  INTENT_RELATIVE_COLORIMETRIC,
                  kFlags | cmsFLAGS_SOFTPROOFING |
                      (proof->intent == RenderingIntent::Relative ? cmsFLAGS_BLACKPOINTCOMPENSATION : 0u))
            : cmsCreateTransform(source.get(), TYPE_RGB_16, to.get(), TYPE_RGB_8, INTENT_RELATIVE_COLORIMETRIC, kFlags);
    if (!transform)
        throw ArgumentError("this colour profile cannot show pictures: it lacks the way from light to code values");
    transform_ = std::shared_ptr<void>(transform, cmsDeleteTransform);
}

void MonitorTransform::convert(std::span<const uint16_t> rgb, std::span<uint8_t> out) const
{
    if (rgb.size() != out.size() || rgb.size() % 3 != 0)
        throw ArgumentError("code values for a monitor: there must be three for each pixel, as many as come out");
    cmsDoTransform(transform_.get(), rgb.data(), out.data(), cmsUInt32Number(rgb.size() / 3));
}

namespace {

std::string nameOf(cmsHPROFILE profile)
{
    char text[256] = "";
    cmsGetProfileInfoASCII(profile, cmsInfoDescription, "en", "US", text, sizeof text);
    return *text ? text : "unnamed profile";
}

OutputSpace spaceOf(cmsHPROFILE profile)
{
    // The profile connection space is D50 as the ICC writes it.
    constexpr Chromaticity kConnection{0.9642 / (0.9642 + 1.0 + 0.8249), 1.0 / (0.9642 + 1.0 + 0.8249)};
    std::vector<Chromaticity> primaries;
    for (const cmsTagSignature tag : {cmsSigRedColorantTag, cmsSigGreenColorantTag, cmsSigBlueColorantTag}) {
        const auto *xyz = static_cast<const cmsCIEXYZ *>(cmsReadTag(profile, tag));
        if (!xyz)
            return OutputSpace::Srgb;
        const Vector3 d65 = bradford(kConnection, kD65) * Vector3{xyz->X, xyz->Y, xyz->Z};
        const double sum = d65[0] + d65[1] + d65[2];
        if (!(sum > 0.0))
            return OutputSpace::Srgb;
        primaries.push_back({d65[0] / sum, d65[1] / sum});
    }
    for (const OutputSpace space : {OutputSpace::Srgb, OutputSpace::DisplayP3})
        if (std::ranges::all_of(primaries, [&](const Chromaticity &c) { return holds(primariesOf(space), c); }))
            return space;
    return OutputSpace::Rec2020;
}

} // namespace

MonitorProfile::MonitorProfile(std::vector<std::byte> profile) : bytes_(std::move(profile))
{
    const Profile monitor = opened(bytes_);
    name_ = nameOf(monitor.get());
    space_ = spaceOf(monitor.get());
    (void)from(space_); // a profile that cannot show pictures is said now
}

std::shared_ptr<const MonitorTransform> MonitorProfile::proofOf(const TargetProfile &profile) const
{
    return std::make_shared<const MonitorTransform>(OutputSpace::Profile,
                                                    bytes_.empty() ? iccProfile(OutputSpace::Srgb) : bytes_, &profile);
}

const MonitorTransform *MonitorProfile::from(OutputSpace space) const
{
    if (bytes_.empty() && space == OutputSpace::Srgb)
        return nullptr;
    const size_t i = size_t(space);
    std::call_once(made_[i], [&] {
        from_[i] =
            std::make_unique<const MonitorTransform>(space, bytes_.empty() ? iccProfile(OutputSpace::Srgb) : bytes_);
    });
    return from_[i].get();
}

} // namespace yolk
