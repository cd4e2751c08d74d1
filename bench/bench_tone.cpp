// Tone mapping: figures on known scenes, quality and time against OpenCV's operators, previews against the full
// picture.
#include "benchmarks.h"
#include "opened_set.h"
#include "scenes.h"
#include "synthetic_set.h"

#include "colour/primaries.h"
#include "colour/transfer.h"
#include "image/mat_p.h"
#include "io/radiance_file.h"
#include "render/files/output.h"
#include "support/demo_data.h"
#include "support/fsitm.h"
#include "support/pu21.h"
#include "support/tmqi.h"
#include "support/tone_measures.h"
#include "tone/local_layers.h"
#include "tone/tone_curve.h"

#include <opencv2/imgcodecs.hpp>
#include <opencv2/imgproc.hpp>
#include <opencv2/photo.hpp>

#include <cmath>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <map>

namespace yolk::bench {
namespace {

// ---- known scenes

void figures(Report &report)
{
    const ToneStart step = toneStartOf(test::stepScene(600, 400, 6.0, 0.0).view());
    double start = 0.0, squeezed = 0.0, detailed = 0.0;
    for (double degrees : {0.0, 20.0, 45.0, 90.0}) {
        ToneSettings settings = automaticTone(step);
        start = std::max(start, test::overshootPercent(settings, step, 6.0, degrees));
        settings.range = 100.0;
        settings.localContrast = 0.0;
        detailed = std::max(detailed, test::overshootPercent(settings, step, 6.0, degrees));
        settings.fineDetail = 0.0;
        squeezed = std::max(squeezed, test::overshootPercent(settings, step, 6.0, degrees));
    }
    report.add("tone.overshoot_percent", squeezed,
               "beside an edge of 6 stops, range 100, local contrast and fine detail 0; at most 2");
    report.add("tone.overshoot_percent.fine_detail", detailed, "the same with the automatic start's fine detail");
    report.add("tone.overshoot_percent.start", start, "at the automatic start, at most 4");
    double reversal = 0.0, noise = 0.0;
    for (double range : {0.0, 50.0, 100.0}) {
        for (double local : {-100.0, 0.0, 100.0})
            for (double stops : {4.0, 8.0, 12.0, 20.0})
                reversal = std::max(
                    reversal,
                    test::reversalPercent(
                        {.method = ToneMethod::Local, .range = range, .localContrast = local, .fineDetail = local},
                        stops));
        for (double ev : {-5.0, -2.0, 1.0}) {
            ToneSettings s{.method = ToneMethod::Local, .range = range};
            const double slope = test::localSlope(s, ev);
            for (double fine : {0.0, 50.0, 100.0}) {
                s.fineDetail = fine;
                noise = std::max(noise, test::noiseGain(s, ev) / (slope * (1.0 + fine / 100.0)));
            }
        }
    }
    report.add("tone.reversal_percent", reversal,
               "largest fall of coded output along a ramp of up to 20 stops; a step of 8 bits is 0.39");
    report.add("tone.noise_ratio", noise, "gain of noise over local slope times 1 + fine detail / 100, at most 1");
    double turn = 0.0;
    for (const auto &method : kToneMethods) {
        const ToneStart dark = completed({-9.0, -6.3, 2.8, 4.1});
        ToneSettings settings = automaticTone(dark);
        settings.method = method.value;
        turn = std::max(turn, test::hueTurnDegrees(settings, dark));
    }
    report.add("tone.hue_degrees", turn,
               "Oklab, colours in gamut with chroma / L of 0.05 and more, all methods; at most 3");
}

// ---- quality

cv::Mat interleaved(const Image<float> &image)
{
    cv::Mat planes[3] = {matOf(image, 0), matOf(image, 1), matOf(image, 2)}, out;
    cv::merge(planes, 3, out);
    return out;
}

/// 0..1 of theirs as code values.
Image<float> codesOf(const cv::Mat &display)
{
    Image<float> out(display.cols, display.rows, 3);
    for (int y = 0; y < display.rows; ++y)
        for (int x = 0; x < display.cols; ++x)
            for (int c = 0; c < 3; ++c) {
                const float v = display.at<cv::Vec3f>(y, x)[c];
                out.row(c, y)[x] = std::isfinite(v) ? 255.0f * std::clamp(v, 0.0f, 1.0f) : 0.0f;
            }
    return out;
}

/// The eight-bit exposures that MergeMertens takes: 2 EV apart round the scene's log average.
std::vector<cv::Mat> exposuresOf(const cv::Mat &scene)
{
    double averageEv = 0.0;
    for (int y = 0; y < scene.rows; ++y)
        for (int x = 0; x < scene.cols; ++x) {
            const cv::Vec3f &rgb = scene.at<cv::Vec3f>(y, x);
            const double light = 0.2126 * double(rgb[0]) + 0.7152 * double(rgb[1]) + 0.0722 * double(rgb[2]);
            averageEv += std::clamp(evOfLuminance(light), -20.0, 20.0) / double(scene.total());
        }
    std::vector<cv::Mat> out;
    for (double ev : {-4.0, -2.0, 0.0, 2.0, 4.0}) {
        cv::Mat picture(scene.rows, scene.cols, CV_8UC3);
        for (int y = 0; y < scene.rows; ++y)
            for (int x = 0; x < scene.cols; ++x)
                for (int c = 0; c < 3; ++c) {
                    const double light = double(scene.at<cv::Vec3f>(y, x)[c]) * std::exp2(ev - averageEv);
                    picture.at<cv::Vec3b>(y, x)[c] =
                        uchar(std::lround(255.0 * encodeSrgb(std::clamp(light, 0.0, 1.0))));
                }
        out.push_back(picture);
    }
    return out;
}

/// Of one picture. FSITM was never looked at while the start was made.
struct Measures {
    double tmqi, structure, features;
};
Measures better(const Measures &a, const Measures &b)
{
    return {std::max(a.tmqi, b.tmqi), std::max(a.structure, b.structure), std::max(a.features, b.features)};
}

void quality(Report &report, const std::string &folder)
{
    std::map<std::string, std::vector<Measures>> scores;
    std::map<std::string, Measures> wins; // counted, over each of theirs and over the best of them
    int panoramas = 0;
    for (const std::string &path : radiancePictures(folder)) {
        Image<float> light = readExr(path).rgb;
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < light.height(); ++y)
                for (int x = 0; x < light.width(); ++x) // their compression left some slightly negative
                    light.row(c, y)[x] = std::max(0.0f, light.row(c, y)[x]);
        const Image<float> luminance = test::luminancePlane(light.view());
        const cv::Mat theirs = interleaved(light);
        const Image<float> scene = test::converted(light, rgbToRgb(kRec709, kRec2020));
        const ToneStart start = toneStartOf(scene.view());
        const auto of = [&](const Image<float> &coded) {
            const test::ToneQuality q = test::toneQuality(luminance.view(), test::luminancePlane(coded.view()).view());
            return Measures{q.quality, q.structure, test::featureSimilarity(light.view(), coded.view())};
        };
        Measures best{};
        std::map<std::string, Measures> rivals;
        const auto count = [&](const char *name, const Measures &m) {
            scores[name].push_back(m);
            rivals[name] = m;
            best = better(best, m);
        };
        const auto operators = {
            std::pair<const char *, cv::Ptr<cv::Tonemap> (*)(float)>{
                "opencv_reinhard",
                [](float gamma) -> cv::Ptr<cv::Tonemap> { return cv::createTonemapReinhard(gamma); }},
            {"opencv_drago", [](float gamma) -> cv::Ptr<cv::Tonemap> { return cv::createTonemapDrago(gamma); }},
            {"opencv_mantiuk", [](float gamma) -> cv::Ptr<cv::Tonemap> { return cv::createTonemapMantiuk(gamma); }}};
        for (const auto &[name, make] : operators) {
            Measures both{}; // of two gammas, what suits each measure
            for (float gamma : {1.0f, 2.2f}) {
                cv::Mat picture;
                make(gamma)->process(theirs, picture);
                both = better(both, of(codesOf(picture)));
            }
            count(name, both);
        }
        cv::Mat mertens;
        cv::createMergeMertens()->process(exposuresOf(theirs), mertens);
        count("opencv_mertens", of(codesOf(mertens)));
        Measures ours{};
        for (const auto &method : kToneMethods) {
            ToneSettings settings = automaticTone(start);
            settings.method = method.value;
            const Measures m = of(test::codedPicture(test::toned(scene.view(), settings, start).view()));
            scores[std::string(method.key)].push_back(m);
            ours = method.value == ToneMethod::Local ? m : ours;
        }
        if (path.find("panoramas") != std::string::npos) {
            ++panoramas;
            rivals["best"] = best;
            for (const auto &[name, m] : rivals) {
                wins[name].tmqi += ours.tmqi > m.tmqi;
                wins[name].structure += ours.structure > m.structure;
                wins[name].features += ours.features > m.features;
            }
        }
        std::printf("  %s: TMQI %.4f (theirs %.4f), its structure %.4f (%.4f), FSITM %.4f (%.4f)\n",
                    std::filesystem::path(path).stem().c_str(), ours.tmqi, best.tmqi, ours.structure, best.structure,
                    ours.features, best.features);
    }
    const auto add = [&](const std::string &key, double Measures::*member) {
        double best = 0.0;
        for (const auto &[name, all] : scores) {
            double sum = 0.0;
            for (const Measures &m : all)
                sum += m.*member;
            report.add(key + "_mean." + name, sum / double(all.size()), "at the automatic start; demo and panoramas");
            if (name.starts_with("opencv"))
                best = std::max(best, sum / double(all.size()));
        }
        report.add(key + "_best_opencv", best, "the best of their operators: local must be higher");
        for (const auto &[name, won] : wins)
            report.add(key + "_wins." + name, won.*member, "panoramas on which local is higher, at least 15 of 18");
    };
    add("tone.tmqi", &Measures::tmqi);
    add("tone.tmqi_structure", &Measures::structure);
    add("tone.fsitm", &Measures::features);
    report.add("tone.quality_panoramas", panoramas, "18 after bench/fetch-panoramas.sh");
}

// ---- time and memory

/// Largest memory of this process since the last call, in GiB.
double peakGib()
{
    std::ifstream status("/proc/self/status");
    for (std::string line; std::getline(status, line);)
        if (line.starts_with("VmHWM:"))
            return std::stod(line.substr(6)) / (1 << 20);
    return NAN;
}
void resetPeak()
{
    std::ofstream("/proc/self/clear_refs") << "5"; // since Linux 4.0
}

/// What the canvas shows against the full picture made smaller, in code values of 8 bits: a view of the full merge once
/// it is looked at, the same while a slider moves, and the first picture, whose frames are made smaller before they are
/// merged.
void previews(Report &report, const std::string &name, const std::vector<std::string> &paths, ExecContext &ctx)
{
    const OpenedSet set = openSet(paths, ctx);
    Recipe recipe;
    recipe.tone = automaticTone(set.measured.tone);
    const int reduction = previewReduction(set.sources);
    for (const auto &method : kToneMethods) {
        recipe.tone.method = method.value;
        const auto rendered = [&](const RenderRequest &request) {
            ExecContext own = ctx.child({});
            return render(RenderPlan(set.sources, set.measured, recipe), request, own);
        };
        const Image<float> full = rendered({});
        const Image<float> first = rendered({std::max(2, reduction), {}, 0, 0});
        ExecContext own = ctx.child({});
        const Image<float> wanted = resample(full.view(), {0, 0, double(full.width()), double(full.height())},
                                             first.width(), first.height(), own);
        const auto compare = [&](const char *what, const Image<float> &shown, const char *goals) {
            std::vector<double> off;
            double sum = 0.0, absolute = 0.0;
            for (int channel = 0; channel < 3; ++channel)
                for (int y = 0; y < shown.height(); ++y)
                    for (int x = 0; x < shown.width(); ++x) {
                        const auto code = [&](const Image<float> &p) {
                            return std::round(255.0 * encodeSrgb(std::clamp(double(p.row(channel, y)[x]), 0.0, 1.0)));
                        };
                        const double d = code(shown) - code(wanted);
                        off.push_back(std::abs(d));
                        sum += d;
                        absolute += std::abs(d);
                    }
            const std::string key = std::string("preview.") + what + "." + std::string(method.key) + "." + name;
            report.add(key + ".p95", percentile(off, 0.95), goals);
            report.add(key + ".mean", absolute / double(off.size()), "");
            report.add(key + ".offset", sum / double(off.size()), "");
        };
        compare("view", rendered({1, {}, first.width(), first.height(), true}), "code values: at most 3, 1 and 0.3");
        compare("while_dragging", rendered({1, {}, first.width(), first.height()}), "the same, as a slider moves");
        compare("first", first, "");
    }
}

void times(Report &report, const std::string &folder)
{
    ThreadRunner runner(2);
    cv::setNumThreads(2);
    ExecContext ctx(runner);
    const std::vector<std::string> paths = largeBracket(folder, 3);
    const OpenedSet set = openSet(paths, ctx);
    Recipe recipe;
    recipe.tone = automaticTone(set.measured.tone);
    ExecContext merging = ctx.child({});
    const PicturePtr scene = sceneOf(RenderPlan(set.sources, set.measured, recipe), {}, merging);
    const cv::Mat theirs = interleaved(*scene);
    cv::Mat picture;
    const double drago = medianSeconds(3, [&] { cv::createTonemapDrago()->process(theirs, picture); });
    for (const auto &[key, method] : {std::pair("local", ToneMethod::Local), std::pair("global", ToneMethod::Global),
                                      std::pair("blend", ToneMethod::Blend)}) {
        ToneSettings settings = recipe.tone;
        settings.method = method;
        resetPeak();
        const double before = peakGib();
        const double ours = medianSeconds(3, [&] { test::toned(scene->view(), settings, set.measured.tone); });
        report.add(std::string("tone.seconds.") + key + ".24mp", ours,
                   "scene to picture, layers of all its pixels included");
        report.add(std::string("tone.") + key + "_time_ratio_opencv_drago.24mp", ours / drago,
                   method == ToneMethod::Local ? "ours over theirs, at most 0.5" : "ours over theirs");
        if (method == ToneMethod::Local)
            report.add("tone.extra_gib.24mp", peakGib() - before, "beyond the radiance, at most 1.5");
    }

    const int preview = previewReduction(set.sources);
    for (const auto &method : kToneMethods) {
        recipe.tone.method = method.value;
        const double exact = medianSeconds(3, [&] {
            ExecContext own = ctx.child({});
            render(RenderPlan(set.sources, set.measured, recipe), {1, {}, 6000 / preview, 4000 / preview, true}, own);
        });
        report.add("preview.seconds_to_exact." + std::string(method.key) + ".24mp", exact, "after the pause");
    }

    previews(report, "24mp", paths, ctx);
    for (const char *name : {"tripod", "handheld"}) {
        std::vector<std::string> frames;
        for (const QString &path : test::demoPaths(QStringLiteral("henhouse-") + QLatin1String(name)))
            frames.push_back(path.toStdString());
        previews(report, name, frames, ctx);
    }
}

} // namespace

void benchTone(Report &report, const std::string &)
{
    figures(report);
}

void benchToneQuality(Report &report, const std::string &folder)
{
    quality(report, folder);
}

void benchToneTime(Report &report, const std::string &folder)
{
    times(report, folder);
}

} // namespace yolk::bench
