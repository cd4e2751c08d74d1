#include "colour/icc.h"

#include "base/errors.h"
#include "colour/transfer.h"

#include <lcms2.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <fstream>

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
    case OutputSpace::Profile:
        return kRec2020;
    case OutputSpace::OpRgb:
        return kOpRgb;
    case OutputSpace::Romm:
        return kRomm;
    case OutputSpace::Srgb:
        break;
    }
    return kRec709;
}

Transfer transferOf(OutputSpace space)
{
    return space == OutputSpace::OpRgb ? Transfer::OpRgb : space == OutputSpace::Romm ? Transfer::Romm : Transfer::Srgb;
}

namespace {

const char *descriptionOf(OutputSpace space)
{
    switch (space) {
    case OutputSpace::DisplayP3:
        return "P3 primaries, D65, sRGB curve";
    case OutputSpace::Rec2020:
    case OutputSpace::Profile:
        return "Rec. 2020 primaries, sRGB curve";
    case OutputSpace::OpRgb:
        return "opRGB";
    case OutputSpace::Romm:
        return "ROMM RGB";
    case OutputSpace::Srgb:
        break;
    }
    return "sRGB";
}

Curve curveOf(Transfer transfer)
{
    constexpr double kSrgbCurve[5] = {2.4, 1.0 / 1.055, 0.055 / 1.055, 1.0 / 12.92, 0.04045};      // [IEC61966-2-1]
    constexpr double kRommCurve[5] = {1.8, 1.0, 0.0, 1.0 / 16.0, 1.0 / 32.0};                      // [ISO22028-2]
    constexpr double kRec709Curve[5] = {1.0 / 0.45, 1.0 / 1.099, 0.099 / 1.099, 1.0 / 4.5, 0.081}; // [BT709]
    switch (transfer) {
    case Transfer::Pq:
        throw ArgumentError("a colour profile of PQ: its codes are no shares of white");
    case Transfer::Linear:
        return Curve(cmsBuildGamma(nullptr, 1.0));
    case Transfer::Rec709:
        return Curve(cmsBuildParametricToneCurve(nullptr, 4, kRec709Curve));
    case Transfer::OpRgb:
        return Curve(cmsBuildGamma(nullptr, 563.0 / 256.0));
    case Transfer::Romm:
        return Curve(cmsBuildParametricToneCurve(nullptr, 4, kRommCurve));
    default:
        return Curve(cmsBuildParametricToneCurve(nullptr, 4, kSrgbCurve));
    }
}

} // namespace

std::vector<std::byte> iccProfile(OutputSpace space)
{
    return iccProfile(primariesOf(space), transferOf(space), descriptionOf(space));
}

std::vector<std::byte> iccProfile(const Primaries &primaries, Transfer transfer, const std::string &description)
{
    return makeProfile(primaries, curveOf(transfer).get(), description);
}

std::vector<std::byte> readTargetProfile(const std::string &path)
{
    std::ifstream file(path, std::ios::binary);
    if (!file)
        throw InputError(path, std::strerror(errno));
    constexpr std::streamoff kMost = 64 << 20; // bytes: the largest printers' tables have some
    file.seekg(0, std::ios::end);
    const std::streamoff size = file.tellg();
    if (size <= 0 || size > kMost)
        throw InputError(path, "is no colour profile");
    std::vector<std::byte> out(static_cast<size_t>(size));
    file.seekg(0);
    file.read(reinterpret_cast<char *>(out.data()), size);
    if (!file)
        throw InputError(path, "cannot be read whole");
    try {
        static_cast<void>(ProfileTransform({out}));
    } catch (const ArgumentError &e) {
        throw InputError(path, e.what());
    }
    return out;
}

ProfileTransform::ProfileTransform(const TargetProfile &target)
{
    cmsSetLogErrorHandler(nullptr);
    const Profile to(cmsOpenProfileFromMem(target.bytes.data(), cmsUInt32Number(target.bytes.size())));
    if (!to)
        throw ArgumentError("is no colour profile, or a damaged one");
    if (cmsGetColorSpace(to.get()) != cmsSigRgbData)
        throw ArgumentError("is a colour profile of another kind than RGB");
    const std::vector<std::byte> bytes = linearIccProfile(kRec2020, "Linear light");
    const Profile from(cmsOpenProfileFromMem(bytes.data(), cmsUInt32Number(bytes.size())));
    const bool isRelative = target.intent == RenderingIntent::Relative;
    cmsHTRANSFORM transform =
        cmsCreateTransform(from.get(), TYPE_RGB_FLT, to.get(), TYPE_RGB_FLT, cmsUInt32Number(target.intent),
                           cmsFLAGS_NOCACHE | (isRelative ? cmsFLAGS_BLACKPOINTCOMPENSATION : 0u));
    if (!transform)
        throw ArgumentError("is a colour profile that pictures cannot be written with: it lacks the way from light to "
                            "code values");
    transform_ = std::shared_ptr<void>(transform, cmsDeleteTransform);
}

void ProfileTransform::convert(std::span<const float> linear, std::span<float> codes) const
{
    if (linear.size() != codes.size() || linear.size() % 3 != 0)
        throw ArgumentError("colours for a profile: there must be three for each pixel, as many as come out");
    cmsDoTransform(transform_.get(), linear.data(), codes.data(), cmsUInt32Number(linear.size() / 3));
    for (float &code : codes)
        code = code > 0.0f ? std::min(code, 1.0f) : 0.0f; // NaN falls to 0
}

std::vector<std::byte> linearIccProfile(const Primaries &primaries, const std::string &description)
{
    return iccProfile(primaries, Transfer::Linear, description);
}

} // namespace yolk
