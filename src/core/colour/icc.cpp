#include "colour/icc.h"

#include "base/errors.h"
#include "colour/transfer.h"

#include <lcms2.h>

#include <algorithm>
#include <cstring>

namespace yolk {
namespace {

constexpr size_t kCurveSize = 4096;

struct CloseProfile {
    void operator()(void *p) const { cmsCloseProfile(p); }
};
using Profile = std::unique_ptr<void, CloseProfile>;
struct FreeCurve {
    void operator()(cmsToneCurve *c) const { cmsFreeToneCurve(c); }
};
using Curve = std::unique_ptr<cmsToneCurve, FreeCurve>;

std::string nameOf(cmsHPROFILE profile)
{
    char text[256] = "";
    cmsGetProfileInfoASCII(profile, cmsInfoDescription, "en", "US", text, sizeof text);
    return *text ? text : "unnamed profile";
}

std::vector<float> sampled(const cmsToneCurve *curve)
{
    std::vector<float> out(kCurveSize);
    float last = 0.0f;
    for (size_t i = 0; i < kCurveSize; ++i) {
        const float v = cmsEvalToneCurveFloat(curve, float(i) / float(kCurveSize - 1));
        last = std::max(last, std::clamp(v, 0.0f, 1.0f)); // monotone whatever the profile says; NaN becomes the last
        out[i] = last;
    }
    if (!(out.back() > 0.0f))
        throw ArgumentError("its colour profile maps everything to black");
    return out;
}

Vector3 colourantOf(cmsHPROFILE profile, cmsTagSignature tag)
{
    const auto *xyz = static_cast<const cmsCIEXYZ *>(cmsReadTag(profile, tag));
    if (!xyz)
        throw ArgumentError("its colour profile is not one with a matrix and curves; convert the file to sRGB");
    return {xyz->X, xyz->Y, xyz->Z};
}

std::vector<std::byte> bytesOf(const Profile &profile)
{
    cmsUInt32Number size = 0;
    cmsSaveProfileToMem(profile.get(), nullptr, &size);
    std::vector<std::byte> out(size);
    if (size == 0 || !cmsSaveProfileToMem(profile.get(), out.data(), &size))
        throw Error("the colour profile could not be made");
    // The library stamps the time of day into the header; the same picture must give the same file.
    constexpr std::array<unsigned char, 12> kDate{0x07, 0xEA, 0, 1, 0, 1}; // 2026-01-01 00:00:00
    constexpr size_t kDateAt = 24;                                         // [ICC1] table 17
    std::memcpy(out.data() + kDateAt, kDate.data(), kDate.size());
    return out;
}

void describe(cmsHPROFILE profile, const std::string &text)
{
    const std::unique_ptr<cmsMLU, void (*)(cmsMLU *)> words(cmsMLUalloc(nullptr, 1), &cmsMLUfree);
    cmsMLUsetASCII(words.get(), "en", "US", text.c_str());
    cmsWriteTag(profile, cmsSigProfileDescriptionTag, words.get());
}

std::vector<std::byte> makeProfile(const Primaries &p, cmsToneCurve *curve, const std::string &description)
{
    const cmsCIExyY white{p.white.x, p.white.y, 1.0};
    const cmsCIExyYTRIPLE rgb{{p.red.x, p.red.y, 1.0}, {p.green.x, p.green.y, 1.0}, {p.blue.x, p.blue.y, 1.0}};
    cmsToneCurve *const curves[3] = {curve, curve, curve};
    const Profile profile(cmsCreateRGBProfile(&white, &rgb, curves));
    if (!profile)
        throw Error("the colour profile could not be made");
    describe(profile.get(), description);
    return bytesOf(profile);
}

} // namespace

const CodeValues &assumedSrgb()
{
    static const CodeValues values = [] {
        std::vector<float> curve(kCurveSize);
        for (size_t i = 0; i < kCurveSize; ++i)
            curve[i] = float(decodeSrgb(double(i) / double(kCurveSize - 1)));
        return CodeValues{"sRGB (assumed)", true, {curve, curve, curve}, rgbToRgb(kRec709, kRec2020)};
    }();
    return values;
}

CodeValues codeValuesOf(std::span<const std::byte> bytes)
{
    if (bytes.empty())
        return assumedSrgb();
    cmsSetLogErrorHandler(nullptr); // errors come back as null results; nothing may be printed
    const Profile profile(cmsOpenProfileFromMem(bytes.data(), cmsUInt32Number(bytes.size())));
    if (!profile)
        throw ArgumentError("its colour profile is damaged");
    const auto curveOf = [&](cmsTagSignature tag) {
        const auto *curve = static_cast<const cmsToneCurve *>(cmsReadTag(profile.get(), tag));
        if (!curve)
            throw ArgumentError("its colour profile is not one with a matrix and curves; convert the file to sRGB");
        return sampled(curve);
    };
    CodeValues out;
    out.name = nameOf(profile.get());
    const cmsColorSpaceSignature space = cmsGetColorSpace(profile.get());
    if (space == cmsSigGrayData) {
        const std::vector<float> curve = curveOf(cmsSigGrayTRCTag);
        out.curves = {curve, curve, curve};
        return out; // neutral in every space
    }
    if (space != cmsSigRgbData)
        throw ArgumentError("its colour profile is neither RGB nor grey; convert the file to sRGB");
    const Vector3 r = colourantOf(profile.get(), cmsSigRedColorantTag);
    const Vector3 g = colourantOf(profile.get(), cmsSigGreenColorantTag);
    const Vector3 b = colourantOf(profile.get(), cmsSigBlueColorantTag);
    const Matrix3 toD50{{r[0], g[0], b[0], r[1], g[1], b[1], r[2], g[2], b[2]}};
    // The profile connection space is D50 as the ICC writes it, a little off the CIE's chromaticity.
    constexpr Chromaticity kConnection{0.9642 / (0.9642 + 1.0 + 0.8249), 1.0 / (0.9642 + 1.0 + 0.8249)};
    out.toRec2020 = inverse(rgbToXyz(kRec2020)) * bradford(kConnection, kD65) * toD50;
    out.curves = {curveOf(cmsSigRedTRCTag), curveOf(cmsSigGreenTRCTag), curveOf(cmsSigBlueTRCTag)};
    return out;
}

const Primaries &primariesOf(OutputSpace space)
{
    switch (space) {
    case OutputSpace::DisplayP3:
        return kP3;
    case OutputSpace::Rec2020:
        return kRec2020;
    case OutputSpace::Srgb:
        break;
    }
    return kRec709;
}

std::vector<std::byte> iccProfile(OutputSpace space)
{
    constexpr double kSrgbCurve[5] = {2.4, 1.0 / 1.055, 0.055 / 1.055, 1.0 / 12.92, 0.04045}; // [IEC61966-2-1]
    const Curve curve(cmsBuildParametricToneCurve(nullptr, 4, kSrgbCurve));
    const char *name = space == OutputSpace::Srgb        ? "sRGB"
                       : space == OutputSpace::DisplayP3 ? "P3 primaries, D65, sRGB curve"
                                                         : "Rec. 2020 primaries, sRGB curve";
    return makeProfile(primariesOf(space), curve.get(), name);
}

std::vector<std::byte> linearIccProfile(const Primaries &primaries, const std::string &description)
{
    const Curve curve(cmsBuildGamma(nullptr, 1.0));
    return makeProfile(primaries, curve.get(), description);
}

} // namespace yolk
