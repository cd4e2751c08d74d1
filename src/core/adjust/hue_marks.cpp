#include "adjust/hue_marks.h"

#include "adjust/oklab_adjustment.h"
#include "base/vectorise.h"
#include "colour/hue_rows.h"
#include "tone/step_table.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace yolk {
namespace {

constexpr double kPerDegree = std::numbers::pi / 180.0;
constexpr StepTable::Steps kHues{-180.0f, 4.0f, 360 * 4 + 1}; // degrees

/// Turns and scales by complex factors, as far as a colour is one.
YOLK_MULTIVERSION
void turnRow(const float *__restrict real, const float *__restrict imaginary, const float *__restrict lighter,
             int width, float *__restrict L, float *__restrict a, float *__restrict b)
{
    constexpr float kGrey = 0.025f, kFourth = kGrey * kGrey * kGrey * kGrey;
    for (int x = 0; x < width; ++x) {
        const float square = a[x] * a[x] + b[x] * b[x], fourth = square * square;
        const float share = fourth / (fourth + kFourth);
        const float light = 1.0f + share * (lighter[x] - 1.0f);
        const float re = light * (1.0f + share * (real[x] - 1.0f)), im = light * share * imaginary[x];
        const float turned = a[x] * re - b[x] * im;
        b[x] = a[x] * im + b[x] * re;
        a[x] = turned;
        L[x] *= light;
    }
}

class HueMarksKernel : public OklabAdjustment {
public:
    explicit HueMarksKernel(const std::vector<HueMark> &marks)
    {
        const auto all = [&](double hue) {
            struct {
                double turn = 0.0, gain = 1.0, lighter = 1.0;
            } out;
            for (const HueMark &m : marks) {
                const double share = HueMarks::shareOf(m, hue);
                out.turn += share * m.turn * kPerDegree;
                out.gain *= 1.0 + share * m.saturation / 100.0;
                out.lighter *= 1.0 + share * m.lightness / 100.0;
            }
            return out;
        };
        real_ = StepTable(kHues, [&](double hue) { return all(hue).gain * std::cos(all(hue).turn); });
        imaginary_ = StepTable(kHues, [&](double hue) { return all(hue).gain * std::sin(all(hue).turn); });
        lighter_ = StepTable(kHues, [&](double hue) { return all(hue).lighter; });
    }

private:
    void change(float *L, float *a, float *b, int width, const PixelGrid &, int) const override
    {
        std::vector<float> hue(static_cast<size_t>(width)), real(hue), imaginary(hue);
        hueRow(a, b, width, hue.data());
        real_.lookUp(hue, 0.0f, real.data());
        imaginary_.lookUp(hue, 0.0f, imaginary.data());
        lighter_.lookUp(hue, 0.0f, hue.data());
        turnRow(real.data(), imaginary.data(), hue.data(), width, L, a, b);
    }
    StepTable real_, imaginary_, lighter_;
};

} // namespace

double HueMarks::shareOf(const HueMark &mark, double hue)
{
    const double d = std::remainder(hue - mark.hue, 360.0) / mark.width;
    return std::pow(std::max(0.0, 1.0 - d * d), 3.0);
}

AdjustmentPtr HueMarks::make(const Varied<Settings> &settings)
{
    std::vector<HueMark> marks = settings.settings().marks;
    std::erase_if(marks, [](const HueMark &m) { return m.turn == 0.0 && m.saturation == 0.0 && m.lightness == 0.0; });
    return marks.empty() ? nullptr : std::make_shared<HueMarksKernel>(marks);
}

} // namespace yolk
