// Our merge against OpenCV's on the same decoded pixels, both with two threads.
#include "benchmarks.h"
#include "synthetic_set.h"

#include "colour/transfer.h"
#include "frames/frame.h"
#include "merge/radiance_merge.h"

#include <opencv2/core.hpp>
#include <opencv2/photo.hpp>

#include <cmath>

namespace yolk::bench {

void benchMerge(Report &report, const std::string &folder)
{
    constexpr int kThreads = 2;
    ThreadRunner runner(kThreads);
    ExecContext ctx(runner);
    cv::setNumThreads(kThreads);

    std::vector<Image<uint16_t>> decoded;
    std::vector<Exposure> exposures;
    std::vector<cv::Mat> eightBit;
    std::vector<float> times;
    const std::vector<std::string> paths = largeBracket(folder, 3);
    for (size_t i = 0; i < paths.size(); ++i) {
        const FramePtr frame = loadFrame(paths[i]);
        decoded.push_back(decodeFrame(*frame, 1, ctx));
        cv::Mat mat(frame->height, frame->width, CV_8UC3);
        const auto copyRow = [&](int y, const CodedRow &row) {
            std::copy(row.eight.begin(), row.eight.end(), mat.ptr(y));
        };
        frame->codec->readRows(paths[i], 1, {}, copyRow, ctx);
        eightBit.push_back(mat);
        times.push_back(float(*frame->metadata.exposureSeconds));
    }
    for (size_t i = 0; i < decoded.size(); ++i)
        exposures.push_back({decoded[i].view(), double(times[i] / times[1]), defaultNoise(8, 100), 1.0});

    cv::Mat response(256, 1, CV_32FC3); // sRGB, given to both
    for (int i = 0; i < 256; ++i)
        response.at<cv::Vec3f>(i) = cv::Vec3f::all(float(std::max(1e-5, decodeSrgb(i / 255.0))));
    const double theirs = medianSeconds(3, [&] {
        cv::Mat out;
        cv::createMergeDebevec()->process(eightBit, out, times, response);
    });
    const double ours = medianSeconds(5, [&] { mergeRadiance(exposures, {1, 1, 1}, ctx); });
    report.add("merge.seconds.3x24mp", ours, "ours");
    report.add("merge.seconds_opencv_debevec.3x24mp", theirs, "theirs");
    report.add("merge.time_ratio_opencv_debevec.3x24mp", ours / theirs, "goal of a later step: 0.10");
}

} // namespace yolk::bench
