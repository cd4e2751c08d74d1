#include "render/analysis/scene_histogram.h"

#include "render/stages/scene_stage.h"
#include "tone/tone_curve.h"

#include <algorithm>
#include <cmath>

namespace yolk {
namespace {

std::vector<float> sortedEvs(const Image<float> &scene)
{
    std::vector<float> evs;
    evs.reserve(scene.shape().pixels());
    for (int y = 0; y < scene.height(); ++y)
        for (int x = 0; x < scene.width(); ++x)
            evs.push_back(
                float(evOfLuminance(kLuminance2020[0] * scene.row(0, y)[x] + kLuminance2020[1] * scene.row(1, y)[x] +
                                    kLuminance2020[2] * scene.row(2, y)[x])));
    std::ranges::sort(evs);
    return evs;
}

} // namespace

SceneHistogram sceneHistogram(const Sources &sources, const Measured &measured, const Recipe &recipe, ExecContext &ctx)
{
    const RenderPlan plan(sources, measured, recipe);
    const PicturePtr scene = sceneOf(plan, measuringRequest(sources, plan.reference()), ctx);
    SceneHistogram out;
    const std::vector<float> evs = sortedEvs(*scene);
    for (float ev : evs) {
        const int bin = int((double(ev) - SceneHistogram::kFirstEv) / SceneHistogram::kBinEv);
        out.shares[size_t(std::clamp(bin, 0, SceneHistogram::kBins - 1))] += 1.0f / float(evs.size());
    }
    return out;
}

} // namespace yolk
