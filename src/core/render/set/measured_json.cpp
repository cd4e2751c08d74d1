#include "render/set/measured_json.h"

#include "recipe/json_values_p.h"

#include <cmath>

namespace yolk {
namespace {

using nlohmann::json;

constexpr const char *kFormat = "yolk-measured";

// ---- what the structs hold, once for all that follows: visit(archive, value) calls archive(key, member) for each

template <class T, class Struct>
concept OfType = std::is_same_v<std::remove_const_t<T>, Struct>;

template <class Archive, OfType<NoiseModel> T> void visit(Archive &archive, T &noise)
{
    archive("gain", noise.gain);
    archive("read_variance", noise.readVariance);
}

template <class Archive, OfType<MeasuredFrame::Light> T> void visit(Archive &archive, T &light)
{
    archive("exposure", light.exposure);
    archive("gains", light.gains);
    archive("noise", light.noise);
}

template <class Archive, OfType<Unevenness> T> void visit(Archive &archive, T &uneven)
{
    archive("bands", uneven.bands);
    archive("across_columns", uneven.acrossColumns);
    archive("rim", uneven.rim);
    archive("aspect", uneven.aspect);
}

template <class Archive, OfType<MeasuredFrame> T> void visit(Archive &archive, T &frame)
{
    archive("id", frame.id);
    archive("exposure", frame.exposure);
    archive("source", frame.source);
    archive("stated", frame.stated);
    archive("picture_says", frame.pictureSays);
    archive("uncertainty", frame.uncertainty);
    archive("clipped_share", frame.clippedShare);
    archive("dark_share", frame.darkShare);
    archive("noise", frame.noise);
    archive("noise_source", frame.noiseSource);
    archive("white_share", frame.whiteShare);
    archive("gains", frame.gains);
    archive("unevenness", frame.unevenness);
    archive("by_profile", frame.byProfile);
    archive("by_curve", frame.byCurve);
    archive("aligned", frame.aligned);
}

template <class Archive, OfType<Response> T> void visit(Archive &archive, T &response)
{
    archive("bend", response.bend);
    archive("fitted", response.fitted);
    archive("by_channel", response.byChannel);
    archive("verdict", response.verdict);
    archive("disagreement_before", response.disagreementBefore);
    archive("disagreement_after", response.disagreementAfter);
}

template <class Archive, OfType<SensorPlace> T> void visit(Archive &archive, T &place)
{
    archive("x", place.x);
    archive("y", place.y);
}

template <class Archive, OfType<ChannelFringe> T> void visit(Archive &archive, T &fringe)
{
    archive("scale", fringe.scale);
    archive("bend", fringe.bend);
}

template <class Archive, OfType<Fringes> T> void visit(Archive &archive, T &fringes)
{
    archive("red", fringes.red);
    archive("blue", fringes.blue);
    archive("source", fringes.source);
}

template <class Archive, OfType<FrameAlignment> T> void visit(Archive &archive, T &alignment)
{
    archive("found", alignment.found);
    archive("transform", alignment.toReference.transform.m.m);
    archive("model", alignment.toReference.model);
    archive("residual", alignment.toReference.residual);
    archive("agreement", alignment.toReference.agreement);
    archive("overlap", alignment.toReference.overlap);
    archive("fit", alignment.toReference.fit);
    archive("places", alignment.toReference.places);
}

template <class Archive, OfType<LightSample> T> void visit(Archive &archive, T &sample)
{
    archive("green", sample.green);
    archive("most", sample.most);
}

template <class Archive, OfType<WhitePoint> T> void visit(Archive &archive, T &white)
{
    archive("temperature", white.temperature);
    archive("tint", white.tint);
}

template <class Archive, OfType<ToneStart> T> void visit(Archive &archive, T &tone)
{
    archive("low_ev", tone.lowEv);
    archive("room_ev", tone.roomEv);
    archive("high_ev", tone.highEv);
    archive("peak_ev", tone.peakEv);
    archive("tail", tone.tail);
    archive("peak_colour", tone.peakColour);
    archive("exposure", tone.exposure);
    archive("room_lightness", tone.roomLightness);
    archive("quantiles", tone.quantiles);
    archive("noise", tone.noise);
}

/// What decoding, aligning and merging read.
template <class Archive, OfType<Measured> T> void visitMerged(Archive &archive, T &measured)
{
    archive("process_version", measured.processVersion);
    archive("frames", measured.frames);
    archive("response", measured.response);
    archive("defects", measured.defects);
    archive("defects_of", measured.defectsOf);
    archive("fringes", measured.fringes);
    archive("alignment", measured.alignment);
    archive("anchor_exposure", measured.anchorExposure);
}

template <class Archive, OfType<Measured> T> void visit(Archive &archive, T &measured)
{
    visitMerged(archive, measured);
    archive("light", measured.light);
    archive("as_shot", measured.asShot);
    archive("automatic_white", measured.automaticWhite);
    archive("tone", measured.tone);
    archive.later("rings_filled", measured.ringsFilled);
}

// ---- what is done with it

class HashArchive {
public:
    template <class T> void operator()(const char *, const T &value) { add(value); }
    Hash128 finish() const { return hasher_.finish(); }

private:
    template <class T> void add(const T &value)
    {
        if constexpr (std::is_arithmetic_v<T> || std::is_enum_v<T>)
            hasher_.value(value);
        else
            visit(*this, value);
    }
    void add(const std::string &text) { hasher_.text(text); }
    template <class T> void add(const std::optional<T> &value)
    {
        hasher_.value(value.has_value());
        if (value)
            add(*value);
    }
    template <class T> void add(const std::vector<T> &values)
    {
        hasher_.value(values.size());
        for (const T &value : values)
            add(value);
    }
    template <class T, size_t N> void add(const std::array<T, N> &values)
    {
        for (const T &value : values)
            add(value);
    }
    Hasher hasher_;
};

class WriteArchive {
public:
    template <class T> void operator()(const char *key, const T &value) { object[key] = of(value); }
    template <class T> void later(const char *key, const T &value) { (*this)(key, value); }
    json object = json::object();

private:
    template <class T> static json of(const T &value)
    {
        if constexpr (std::is_enum_v<T>) {
            return int(value);
        } else if constexpr (std::is_arithmetic_v<T> || std::is_same_v<T, std::string>) {
            return value;
        } else {
            WriteArchive inner;
            visit(inner, value);
            return std::move(inner.object);
        }
    }
    template <class T> static json of(const std::optional<T> &value) { return value ? of(*value) : json(); }
    template <class T> static json of(const std::vector<T> &values) { return listOf(values); }
    template <class T, size_t N> static json of(const std::array<T, N> &values) { return listOf(values); }
    template <class List> static json listOf(const List &values)
    {
        json out = json::array();
        for (const auto &value : values)
            out.push_back(of(value));
        return out;
    }
};

class ReadArchive {
public:
    ReadArchive(const json &object, std::string path) : object_(object), path_(std::move(path))
    {
        if (!object.is_object())
            throw ArgumentError((path_.empty() ? "the text" : path_) + ": must be an object");
    }
    template <class T> void operator()(const char *key, T &value)
    {
        const std::string path = path_.empty() ? key : path_ + "." + key;
        const auto it = object_.find(key);
        if (it == object_.end())
            throw ArgumentError(path + ": is missing");
        read(*it, path, value);
    }
    /// What older projects do not have, and keeps its value then.
    template <class T> void later(const char *key, T &value)
    {
        if (object_.contains(key))
            (*this)(key, value);
    }

private:
    template <class T> static void read(const json &from, const std::string &path, T &value)
    {
        if constexpr (std::is_same_v<T, bool>) {
            if (!from.is_boolean())
                throw ArgumentError(path + ": must be true or false");
            value = from.get<bool>();
        } else if constexpr (std::is_enum_v<T>) {
            constexpr int kMostKinds = 16;
            value = T(int(checkedWithin(wholeNumber(from, path), 0, kMostKinds, path)));
        } else if constexpr (std::is_integral_v<T>) {
            value = T(checkedWithin(wholeNumber(from, path), double(std::numeric_limits<T>::min()),
                                    double(std::numeric_limits<T>::max()), path));
        } else if constexpr (std::is_floating_point_v<T>) {
            value = T(checkedWithin(numberOfValue(from, path), -1e300, 1e300, path));
        } else {
            ReadArchive inner(from, path);
            visit(inner, value);
        }
    }
    static void read(const json &from, const std::string &path, std::string &value) { value = textOfValue(from, path); }
    template <class T> static void read(const json &from, const std::string &path, std::optional<T> &value)
    {
        value.reset();
        if (!from.is_null())
            read(from, path, value.emplace());
    }
    template <class T> static void read(const json &from, const std::string &path, std::vector<T> &values)
    {
        constexpr size_t kMost = 1000000;
        if (!from.is_array() || from.size() > kMost)
            throw ArgumentError(path + ": must be a list of at most " + std::to_string(kMost));
        values.assign(from.size(), T());
        for (size_t i = 0; i < values.size(); ++i)
            read(from[i], path, values[i]);
    }
    template <class T, size_t N> static void read(const json &from, const std::string &path, std::array<T, N> &values)
    {
        if (!from.is_array() || from.size() != N)
            throw ArgumentError(path + ": must be a list of " + std::to_string(N));
        for (size_t i = 0; i < N; ++i)
            read(from[i], path, values[i]);
    }
    static double wholeNumber(const json &from, const std::string &path)
    {
        if (!from.is_number_integer())
            throw ArgumentError(path + ": must be a whole number");
        return from.get<double>();
    }

    const json &object_;
    std::string path_;
};

/// What the stages take for granted.
void check(const Measured &measured)
{
    const auto positive = [](double value, const std::string &path) { checkedWithin(value, 1e-12, 1e12, path); };
    positive(measured.anchorExposure, "anchor_exposure");
    for (const MeasuredFrame &f : measured.frames) {
        for (const double exposure : {f.exposure, f.byProfile.exposure, f.byCurve.exposure})
            positive(exposure, "frames.exposure");
        for (const Vector3 &gains : {f.gains, f.byProfile.gains, f.byCurve.gains})
            for (const double gain : gains)
                positive(gain, "frames.gains");
        for (const NoiseModel &noise : {f.noise, f.byProfile.noise, f.byCurve.noise}) {
            checkedWithin(noise.gain, 0.0, 1e6, "frames.noise.gain");
            checkedWithin(noise.readVariance, 0.0, 1e6, "frames.noise.read_variance");
        }
        checkedWithin(f.whiteShare, 1e-3, 1.0, "frames.white_share");
        if (!f.unevenness.bands.empty() && f.unevenness.bands.size() != size_t(Unevenness::kKnots))
            throw ArgumentError("frames.unevenness.bands: must be " + std::to_string(Unevenness::kKnots) + " or none");
    }
    if (!measured.alignment.empty() && measured.alignment.size() != measured.frames.size())
        throw ArgumentError("alignment: must be one for each frame");
}

} // namespace

std::string measuredText(const Measured &measured)
{
    WriteArchive archive;
    visit(archive, measured);
    archive.object["format"] = kFormat;
    return archive.object.dump() + "\n";
}

Measured parseMeasured(const std::string &text)
{
    const json root = openedText(text, {kFormat, "measurement", "process_version", kProcessVersion});
    Measured out;
    ReadArchive archive(root, {});
    visit(archive, out);
    check(out);
    out.generation = generationOf(out);
    return out;
}

Hash128 generationOf(const Measured &measured)
{
    HashArchive archive;
    visitMerged(archive, measured);
    return archive.finish();
}

} // namespace yolk
