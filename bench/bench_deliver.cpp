// What a finished file costs beside its picture and its codec's own work, and how soon a stop ends it.
#include "benchmarks.h"
#include "io/tiff.h"
#include "opened_set.h"
#include "render/files/file_codes.h"
#include "render/files/output.h"
#include "synthetic_set.h"

#include <QTemporaryDir>

#include <algorithm>
#include <chrono>
#include <cstdio>
#include <thread>

#include <jpeglib.h>

namespace yolk::bench {
namespace {

/// libjpeg alone on bytes that stand in memory, as the export asks it.
void encodeAlone(const std::vector<uint8_t> &bytes, int width, int height, int quality, const std::string &path)
{
    FILE *file = std::fopen(path.c_str(), "wb");
    jpeg_error_mgr errors;
    jpeg_compress_struct info;
    info.err = jpeg_std_error(&errors);
    jpeg_create_compress(&info);
    jpeg_stdio_dest(&info, file);
    info.image_width = unsigned(width);
    info.image_height = unsigned(height);
    info.input_components = 3;
    info.in_color_space = JCS_RGB;
    jpeg_set_defaults(&info);
    jpeg_set_quality(&info, quality, TRUE);
    info.optimize_coding = TRUE;
    info.comp_info[0].h_samp_factor = info.comp_info[0].v_samp_factor = 1;
    jpeg_start_compress(&info, TRUE);
    for (int y = 0; y < height; ++y) {
        JSAMPROW row = const_cast<JSAMPROW>(bytes.data() + size_t(y) * size_t(width) * 3);
        jpeg_write_scanlines(&info, &row, 1);
    }
    jpeg_finish_compress(&info);
    jpeg_destroy_compress(&info);
    std::fclose(file);
}

/// The longest of several stops, in milliseconds from asking to the end, at moments spread over the work.
double longestStop(const OpenedSet &set, const Recipe &recipe, const std::string &path, double whole, Runner &runner)
{
    using Clock = std::chrono::steady_clock;
    double longest = 0.0;
    for (int i = 0; i < 8; ++i) {
        std::stop_source stop;
        Clock::time_point asked, ended;
        std::jthread work([&] {
            ExecContext ctx(runner, stop.get_token());
            try {
                exportPicture(set.sources, recipe, set.measured, {path}, ctx);
            } catch (const Cancelled &) {
            }
            ended = Clock::now();
        });
        std::this_thread::sleep_for(std::chrono::duration<double>(whole * (0.06 + 0.12 * i)));
        asked = Clock::now();
        stop.request_stop();
        work.join();
        const double taken = std::chrono::duration<double>(ended - asked).count() * 1e3;
        std::printf(" %.0f", taken);
        longest = std::max(longest, taken);
    }
    return longest;
}

} // namespace

void benchDeliver(Report &report, const std::string &folder)
{
    ThreadRunner runner(2);
    ExecContext ctx(runner);
    const OpenedSet set = openSet(largeBracket(folder, 3), ctx);
    const QTemporaryDir dir;
    const auto at = [&](const std::string &name) { return dir.filePath(QString::fromStdString(name)).toStdString(); };
    const Recipe recipe = automaticStart(set.measured);
    const RenderPlan plan(set.sources, set.measured, recipe);
    const Frame &frame = plan.reference();
    const RenderRequest request{1, {0, 0, double(frame.width), double(frame.height)}, frame.width, frame.height, true};
    const auto exported = [&](const std::string &name, const Recipe &of) {
        return medianSeconds(1, [&] { exportPicture(set.sources, of, set.measured, {at(name)}, ctx); });
    };
    exported("a.tif", recipe); // which merges
    const Image<float> display = render(plan, request, ctx);
    const FileCoder coder(Transfer::Srgb);
    std::vector<uint16_t> codes(display.shape().pixels() * 3);
    std::vector<uint8_t> bytes(codes.size());
    std::vector<float> row(size_t(frame.width) * 3);
    for (int y = 0; y < frame.height; ++y) {
        const std::span<uint16_t> out(codes.data() + size_t(y) * row.size(), row.size());
        coder.code(display.view(), y, row);
        ditherCodes(row, y, out);
        std::ranges::copy(out, bytes.begin() + ptrdiff_t(size_t(y) * row.size()));
        roundCodes(row, 16, out);
    }
    std::vector<double> rendering, tiff, jpeg, tiffAlone, jpegAlone;
    for (int i = 0; i < 5; ++i) {
        rendering.push_back(medianSeconds(1, [&] { render(plan, request, ctx); }));
        tiffAlone.push_back(medianSeconds(1, [&] {
            writeTiff(at("alone.tif"), frame.width, frame.height, {}, [&](int y, std::span<uint16_t> out) {
                std::copy_n(codes.begin() + ptrdiff_t(size_t(y) * out.size()), out.size(), out.begin());
            });
        }));
        jpegAlone.push_back(medianSeconds(1, [&] { encodeAlone(bytes, frame.width, frame.height, 92, at("alone.jpg")); }));
        tiff.push_back(exported("a.tif", recipe));
        jpeg.push_back(exported("a.jpg", recipe));
    }
    const double picture = percentile(rendering, 0.5);
    report.add("deliver.tiff_s", percentile(tiff, 0.5), "24 megapixels, merged before");
    report.add("deliver.tiff_ratio", percentile(tiff, 0.5) / (picture + percentile(tiffAlone, 0.5)),
               "over the picture's and libtiff's own time, at most 1.5");
    report.add("deliver.jpeg_s", percentile(jpeg, 0.5), "the same as JPEG");
    report.add("deliver.jpeg_ratio", percentile(jpeg, 0.5) / (picture + percentile(jpegAlone, 0.5)),
               "over the picture's and libjpeg's own time, at most 1.5");
    double longest = 0.0;
    for (const char *name : {"s.tif", "s.jpg", "s.png", "s.avif", "s.jxl", "s.exr", "s.hdr", "hdr.jpg"}) {
        Recipe of = recipe;
        if (std::string(name).starts_with("hdr"))
            of.output.light = ExportLight::Hdr;
        const double whole = exported(name, of);
        const double stop = longestStop(set, of, at(name), whole, runner);
        std::printf("  %-8s %6.2f s, stopped within %.0f ms\n", name, whole, stop);
        longest = std::max(longest, stop);
    }
    report.add("deliver.stop_ms", longest, "the longest stop of all formats, at most 200");
}

} // namespace yolk::bench
