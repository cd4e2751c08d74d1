#include "align/registration.h"

#include "base/vectorise.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstring>
#include <numbers>

namespace yolk {
namespace {

constexpr int kBlock = 16, kParameters = 8;
using Vector8 = Eigen::Matrix<double, kParameters, 1>;
using Matrix8 = Eigen::Matrix<double, kParameters, kParameters>;
using Float4 = float __attribute__((vector_size(16)));

constexpr int parametersOf(MotionModel model)
{
    constexpr int counts[] = {0, 2, 3, 4, 8};
    return counts[int(model)];
}

/// Logarithm to base 2 of a positive value, within 1e-6: 2 atanh((m - r) / (m + r)) for a mantissa m, r = sqrt(2).
YOLK_INLINE float quickLog2(float value)
{
    const int32_t bits = std::bit_cast<int32_t>(value);
    const float mantissa = std::bit_cast<float>((bits & 0x007fffff) | 0x3f800000);
    constexpr float kRoot = 1.41421356f, kTwoOverLn2 = 2.88539008f;
    const float s = (mantissa - kRoot) / (mantissa + kRoot), q = s * s;
    return float((bits >> 23) - 127) + 0.5f +
           kTwoOverLn2 * s * (1.0f + q * (1.0f / 3.0f + q * (1.0f / 5.0f + q * (1.0f / 7.0f))));
}

YOLK_MULTIVERSION
void logRow(const float *light, int width, float offset, float least, float *out)
{
    for (int x = 0; x < width; ++x) {
        const float v = light[x] + offset;
        out[x] = quickLog2(v > least ? v : least);
    }
}

/// Binomial 1 4 6 4 1 of five rows, then along the row. `work` has room for width values.
YOLK_MULTIVERSION
void smoothRow(const float *a, const float *b, const float *c, const float *d, const float *e, int width, float *work,
               float *out)
{
    constexpr float k = 1.0f / 16.0f;
    for (int x = 0; x < width; ++x)
        work[x] = k * (a[x] + e[x] + 4.0f * (b[x] + d[x]) + 6.0f * c[x]);
    for (int x = 2; x < width - 2; ++x)
        out[x] = k * (work[x - 2] + work[x + 2] + 4.0f * (work[x - 1] + work[x + 1]) + 6.0f * work[x]);
    for (const int x : {0, 1, width - 2, width - 1})
        out[x] = work[x];
}

/// 1 where all within `radius` are.
Image<uint8_t> eroded(const Image<uint8_t> &in, int radius, ExecContext &ctx)
{
    const int width = in.width(), height = in.height();
    Image<uint8_t> out(width, height, 1);
    forEachBand(ctx, height, [&](int y0, int y1) {
        std::vector<uint8_t> row(static_cast<size_t>(width));
        for (int y = y0; y < y1; ++y) {
            if (y < radius || y >= height - radius)
                continue; // what lies at the rim is not smoothed like the rest
            std::copy_n(in.row(0, y), width, row.begin());
            for (int v = y - radius; v <= y + radius; ++v)
                for (int x = 0; x < width; ++x)
                    row[size_t(x)] &= in.row(0, v)[x];
            uint8_t *to = out.row(0, y);
            std::copy(row.begin(), row.end(), to);
            for (int s = 1; s <= radius; ++s) {
                for (int x = s; x < width; ++x)
                    to[x] &= row[size_t(x - s)];
                for (int x = 0; x + s < width; ++x)
                    to[x] &= row[size_t(x + s)];
            }
            std::fill_n(to, radius, uint8_t(0));
            std::fill_n(to + width - radius, radius, uint8_t(0));
        }
    });
    return out;
}

/// log2(light + offset), smoothed: noise then counts the same in the dark and in the light.
Image<float> toneOf(const GuideLevel &level, float offset, ExecContext &ctx)
{
    const int width = level.light.width(), height = level.light.height();
    Image<float> out(width, height, 1);
    forEachBand(ctx, height, [&](int y0, int y1) {
        Image<float> logs(width, y1 - y0 + 4, 1);
        std::vector<float> work(static_cast<size_t>(width));
        for (int y = y0 - 2; y < y1 + 2; ++y)
            logRow(level.light.row(0, std::clamp(y, 0, height - 1)), width, offset, 0.25f * offset,
                   logs.row(0, y - y0 + 2));
        for (int y = y0; y < y1; ++y) {
            const int i = y - y0;
            smoothRow(logs.row(0, i), logs.row(0, i + 1), logs.row(0, i + 2), logs.row(0, i + 3), logs.row(0, i + 4),
                      width, work.data(), out.row(0, y));
        }
    });
    return out;
}

/// Two frames at one level, ready to be compared.
struct PairLevel {
    Image<float> still, gradientX, gradientY, weight; ///< weight 0: not valid
    Image<float> moving;
    Image<uint8_t> movingValid;
};

/// One over the variance of a difference of two smoothed logarithms, by the logarithm.
class Weights {
public:
    Weights(const Guide &a, const Guide &b, int level, float offset)
    {
        constexpr double kSmoothing = 0.273 * 0.273; // what is left of a variance: sum of squares of 1 4 6 4 1 / 16
        constexpr double kUnexplained = 0.02;        // sampling, response: stops
        for (int i = 0; i < kCount; ++i) {
            const double sum = std::exp2(kFrom + i / kPerStop), light = std::max(0.0, sum - double(offset));
            const double stops = 1.0 / (sum * 0.6931);
            values_[size_t(i)] =
                float(1.0 / ((a.variance(light, level) + b.variance(light, level)) * kSmoothing * stops * stops +
                             kUnexplained * kUnexplained));
        }
    }
    float operator()(float log) const
    {
        return values_[size_t(std::clamp(int((log - float(kFrom)) * float(kPerStop)), 0, kCount - 1))];
    }

private:
    static constexpr double kFrom = -40.0, kPerStop = 8.0;
    static constexpr int kCount = 640;
    std::array<float, kCount> values_{};
};

PairLevel pairLevel(const Guide &still, const Guide &moving, int level, ExecContext &ctx)
{
    const GuideLevel &a = still.levels[size_t(level)], &b = moving.levels[size_t(level)];
    const float offset =
        float(4.0 * std::sqrt(std::max({still.variance(0.0, level), moving.variance(0.0, level), 1e-24})));
    PairLevel out;
    out.still = toneOf(a, offset, ctx);
    out.moving = toneOf(b, offset, ctx);
    constexpr int kSmoothed = 2, kDerived = 1, kInterpolated = 2;
    const Image<uint8_t> valid = eroded(a.valid, kSmoothed + kDerived, ctx);
    out.movingValid = eroded(b.valid, kSmoothed + kInterpolated, ctx);
    const int width = a.light.width(), height = a.light.height();
    for (Image<float> *image : {&out.gradientX, &out.gradientY, &out.weight})
        *image = Image<float>(width, height, 1);
    const Weights weights(still, moving, level, offset);
    forEachBand(ctx, height, [&](int y0, int y1) {
        for (int y = std::max(1, y0); y < std::min(height - 1, y1); ++y) {
            const float *row = out.still.row(0, y), *up = out.still.row(0, y - 1), *down = out.still.row(0, y + 1);
            for (int x = 1; x < width - 1; ++x) {
                out.gradientX.row(0, y)[x] = 0.5f * (row[x + 1] - row[x - 1]);
                out.gradientY.row(0, y)[x] = 0.5f * (down[x] - up[x]);
            }
            for (int x = 0; x < width; ++x)
                out.weight.row(0, y)[x] = valid.row(0, y)[x] ? weights(row[x]) : 0.0f;
        }
    });
    return out;
}

/// Weighted sums over a block: n pixels, template t, residual r, gradient g.
struct Sums {
    float n = 0, w = 0, t = 0, tt = 0, r = 0, rr = 0, gx = 0, gy = 0, gxx = 0, gxy = 0, gyy = 0, gxr = 0, gyr = 0;
    double covered = 0; ///< pixels that the other frame shows at all
};

YOLK_INLINE Float4 cubicWeights(float t) // Catmull-Rom
{
    constexpr Float4 k0{0, 1, 0, 0}, k1{-0.5f, 0, 0.5f, 0}, k2{1, -2.5f, 2, -0.5f}, k3{-0.5f, 1.5f, -1.5f, 0.5f};
    return k0 + t * (k1 + t * (k2 + t * k3));
}

/// The transform near a block's middle, as a linear function.
struct LocalMap {
    float x, y, xx, xy, yx, yy;
};

YOLK_MULTIVERSION
void sumBlock(const float *still, const float *gradientX, const float *gradientY, const float *weight, ptrdiff_t stride,
              int columns, int rows, const LocalMap &map, const float *moving, const uint8_t *movingValid,
              ptrdiff_t movingStride, ptrdiff_t validStride, int movingWidth, int movingHeight, Sums &out)
{
    Float4 s[4] = {}; // the thirteen sums
    int covered = 0;
    for (int y = 0; y < rows; ++y)
        for (int x = 0; x < columns; ++x) {
            const float dx = float(x) - 0.5f * (kBlock - 1), dy = float(y) - 0.5f * (kBlock - 1);
            const float u = map.x + map.xx * dx + map.xy * dy, v = map.y + map.yx * dx + map.yy * dy;
            const int iu = int(u), iv = int(v); // towards 0; outside is sorted out next
            if (!(u >= 2.0f && v >= 2.0f && iu < movingWidth - 3 && iv < movingHeight - 3))
                continue;
            ++covered;
            const ptrdiff_t at = y * stride + x;
            const float w = weight[at];
            if (!(w > 0.0f) || !movingValid[ptrdiff_t(int(v + 0.5f)) * validStride + int(u + 0.5f)])
                continue;
            const Float4 wx = cubicWeights(u - float(iu)), wy = cubicWeights(v - float(iv));
            const float *from = moving + ptrdiff_t(iv - 1) * movingStride + iu - 1;
            Float4 line{};
            for (int j = 0; j < 4; ++j) {
                Float4 taps;
                std::memcpy(&taps, from + j * movingStride, sizeof taps);
                line += taps * wy[j];
            }
            line *= wx;
            const float t = still[at], r = t - ((line[0] + line[1]) + (line[2] + line[3]));
            const float gx = gradientX[at], gy = gradientY[at];
            const Float4 a{1.0f, w, w * t, w * t * t}, b{w * r, w * r * r, w * gx, w * gy},
                c{w * gx * gx, w * gx * gy, w * gy * gy, w * gx * r};
            s[0] += a;
            s[1] += b;
            s[2] += c;
            s[3][0] += w * gy * r;
        }
    out = {s[0][0], s[0][1], s[0][2], s[0][3], s[1][0], s[1][1], s[1][2],
           s[1][3], s[2][0], s[2][1], s[2][2], s[2][3], s[3][0], double(covered)};
}

/// What one block says: with its own offset eliminated.
struct Block {
    int x = 0, y = 0; ///< of its left upper pixel
    Point at;         ///< middle, of the level's pixels
    double n = 0, covered = 0;
    double xx = 0, xy = 0, yy = 0; ///< information on a shift
    double bx = 0, by = 0;
    double texture = 0, difference = 0; ///< weighted sums of squares; noise alone would give n
    double belief = 0;
};

Block seen(const Block &place, const Sums &s)
{
    Block b = place;
    b.n = double(s.n);
    b.covered = s.covered;
    if (s.n < kBlock * kBlock / 4 || !(s.w > 0.0f)) {
        b.n = 0;
        return b;
    }
    const double w = 1.0 / double(s.w), gx = double(s.gx), gy = double(s.gy), r = double(s.r), t = double(s.t);
    b.xx = std::max(0.0, double(s.gxx) - gx * gx * w);
    b.yy = std::max(0.0, double(s.gyy) - gy * gy * w);
    b.xy = double(s.gxy) - gx * gy * w;
    b.bx = double(s.gxr) - gx * r * w;
    b.by = double(s.gyr) - gy * r * w;
    b.texture = std::max(0.0, double(s.tt) - t * t * w);
    b.difference = std::max(0.0, double(s.rr) - r * r * w);
    return b;
}

bool isTextured(const Block &b)
{
    return b.n > 0 && b.texture > 4.0 * b.n;
}
bool agrees(const Block &b)
{
    return b.difference < 2.0 * b.n + 0.15 * b.texture;
}

/// Coordinates of the motion: the middle of the picture is 0, a corner has distance 1.
struct Frame2 {
    double cx, cy, size;
    Eigen::Matrix<double, 2, kParameters> basis(Point p) const
    {
        const double x = (p.x - cx) / size, y = (p.y - cy) / size;
        Eigen::Matrix<double, 2, kParameters> out;
        out << 1, 0, -y, x, x, y, -x * x, -x * y, //
            0, 1, x, y, -y, x, -x * y, -y * y;
        return out;
    }
    /// The transform whose displacements near 0 are basis * step; rigid ones exactly so.
    Transform transformOf(const Vector8 &step) const
    {
        const Vector8 d = step / size;
        const double c = std::cos(d[2]), s = std::sin(d[2]);
        const Matrix3 rigid{{c, -s, d[0], s, c, d[1], 0, 0, 1}};
        const Matrix3 rest{{1 + d[3] + d[4], d[5], 0, d[5], 1 + d[3] - d[4], 0, d[6], d[7], 1}};
        const Matrix3 in{{1 / size, 0, -cx / size, 0, 1 / size, -cy / size, 0, 0, 1}},
            out{{size, 0, cx, 0, size, cy, 0, 0, 1}};
        return Transform{out * rigid * rest * in}.after({});
    }
};

struct Normal {
    Matrix8 a = Matrix8::Zero();
    Vector8 b = Vector8::Zero();
    double differences = 0, pixels = 0;
};

class Registrar {
public:
    Registrar(const Guide &still, const Guide &moving, int level, ExecContext &ctx)
        : pair_(pairLevel(still, moving, level, ctx)), ctx_(ctx)
    {
        const double width = pair_.still.width(), height = pair_.still.height();
        frame_ = {width / 2, height / 2, std::hypot(width, height) / 2};
        for (int y = 0; y + kBlock / 2 < pair_.still.height(); y += kBlock)
            for (int x = 0; x + kBlock / 2 < pair_.still.width(); x += kBlock) {
                Block b;
                b.x = x;
                b.y = y;
                b.at = {x + kBlock / 2.0, y + kBlock / 2.0};
                blocks_.push_back(b);
            }
    }

    /// Looks at all blocks under a transform.
    void look(const Transform &transform)
    {
        constexpr int kRun = 64;
        const int runs = (int(blocks_.size()) + kRun - 1) / kRun;
        ExecContext own = ctx_.child({});
        forEachPart(own, runs, [&](int run, ExecContext &) {
            for (size_t i = size_t(run) * kRun; i < std::min(blocks_.size(), size_t(run + 1) * kRun); ++i)
                lookAt(blocks_[i], transform);
        });
        believe();
    }

    Normal normal() const
    {
        Normal out;
        for (const Block &b : blocks_) {
            if (!(b.belief > 0.0))
                continue;
            const auto j = frame_.basis(b.at);
            Eigen::Matrix2d a;
            a << b.xx, b.xy, b.xy, b.yy;
            out.a += b.belief * (j.transpose() * a * j);
            out.b += b.belief * (j.transpose() * Eigen::Vector2d(b.bx, b.by));
            out.differences += b.belief * b.difference;
            out.pixels += b.belief * b.n;
        }
        return out;
    }

    /// The step that the first parameters take; all others stay.
    static Vector8 solve(const Normal &normal, int parameters)
    {
        Vector8 out = Vector8::Zero();
        Eigen::MatrixXd a = normal.a.topLeftCorner(parameters, parameters);
        a.diagonal() *= 1.0 + 1e-9;
        a.diagonal().array() += 1e-6;
        out.head(parameters) = a.ldlt().solve(normal.b.head(parameters));
        return out;
    }

    /// How far noise alone may have moved a corner: one standard deviation, pixels.
    double uncertainty(const Normal &normal, int parameters) const
    {
        if (!(normal.pixels > 0.0))
            return INFINITY;
        Eigen::MatrixXd a = normal.a.topLeftCorner(parameters, parameters);
        a.diagonal().array() += 1e-9;
        const Eigen::MatrixXd inverse = a.inverse();
        double most = 0.0;
        for (const double x : {0.0, 2 * frame_.cx})
            for (const double y : {0.0, 2 * frame_.cy}) {
                const Eigen::MatrixXd j = frame_.basis({x, y}).leftCols(parameters);
                most = std::max(most, (j * inverse * j.transpose()).trace());
            }
        return std::sqrt(most * noiseFactor(normal));
    }
    /// What a variance by weights alone must be multiplied by: misfit, and neighbours that smoothing made alike.
    static double noiseFactor(const Normal &normal)
    {
        constexpr double kAlike = 12.0; // pixels under the smoothing's square
        return kAlike * std::max(1.0, normal.differences / normal.pixels);
    }

    Transform converge(Transform transform, MotionModel most, int iterations, double enough)
    {
        for (int i = 0; i < iterations; ++i) {
            ctx_.throwIfStopped();
            look(transform);
            const Normal n = normal();
            if (!(n.pixels > 0.0))
                return transform;
            model_ = std::min(most, determined(n));
            if (model_ == MotionModel::None)
                return transform;
            const Vector8 step = solve(n, parametersOf(model_));
            const Transform change = frame_.transformOf(step);
            const double moved = largestDistance(change, {}, 2 * frame_.cx, 2 * frame_.cy);
            if (!std::isfinite(moved))
                return transform;
            transform = transform.after(change);
            if (moved < enough)
                break;
        }
        return transform;
    }
    double width() const { return 2 * frame_.cx; }
    double height() const { return 2 * frame_.cy; }
    MotionModel model() const { return model_; }
    const std::vector<Block> &blocks() const { return blocks_; }

    /// The simplest transform that explains the blocks as well as `transform` does, as far as noise lets us tell.
    std::pair<Transform, MotionModel> simplest(const Transform &transform, MotionModel upTo) const
    {
        const Normal n = normal();
        const double factor = noiseFactor(n);
        int places = 0;
        for (const Block &b : blocks_)
            places += b.belief > 0.0;
        for (MotionModel model : {MotionModel::None, MotionModel::Shift, MotionModel::Rigid, MotionModel::Similarity}) {
            if (model >= upTo)
                break;
            const Transform simple = nearest(transform, model);
            double worse = 0.0;
            for (const Block &b : blocks_) {
                if (!(b.belief > 0.0))
                    continue;
                const Point p = transform(b.at), q = simple(b.at);
                const double dx = p.x - q.x, dy = p.y - q.y;
                worse += b.belief * (b.xx * dx * dx + 2 * b.xy * dx * dy + b.yy * dy * dy);
            }
            // Bayesian information criterion.
            if (worse / factor < (parametersOf(upTo) - parametersOf(model)) * std::log(places + 2.0))
                return {simple, model};
        }
        return {transform, upTo};
    }

    /// The transform of a kind that moves the blocks most like `transform`, by their information.
    Transform nearest(const Transform &transform, MotionModel model) const
    {
        Transform out;
        if (model == MotionModel::None)
            return out;
        const Motion motion = motionOf(transform, 2 * frame_.cx, 2 * frame_.cy);
        const double angle = model == MotionModel::Shift ? 0.0 : motion.clockwise * std::numbers::pi / 180.0;
        out = Transform{Matrix3{{1, 0, motion.right, 0, 1, motion.down, 0, 0, 1}}}.after(
            frame_.transformOf(Vector8::Unit(2) * (angle * frame_.size)));
        for (int i = 0; i < 4; ++i) {
            Normal n;
            const Transform back = out.inverted();
            for (const Block &b : blocks_) {
                if (!(b.belief > 0.0))
                    continue;
                const Point wanted = back(transform(b.at)); // where the step must bring the place
                const auto j = frame_.basis(b.at);
                Eigen::Matrix2d a;
                a << b.xx, b.xy, b.xy, b.yy;
                n.a += b.belief * (j.transpose() * a * j);
                n.b += b.belief * (j.transpose() * a * Eigen::Vector2d(wanted.x - b.at.x, wanted.y - b.at.y));
            }
            out = out.after(frame_.transformOf(solve(n, parametersOf(model))));
        }
        return out;
    }

    Registration judge(const Transform &transform)
    {
        look(transform);
        Registration out;
        out.transform = transform;
        out.model = model_;
        // By cells of the picture, so that one subject full of detail does not outvote all that surrounds it.
        struct Tally {
            int textured = 0, agreeing = 0;
            double fit = 0;
        };
        constexpr int kColumns = 8, kRows = 6;
        std::array<Tally, kColumns * kRows> cells{};
        double covered = 0, squares = 0, information = 0;
        for (const Block &b : blocks_) {
            covered += b.covered;
            if (!isTextured(b))
                continue;
            const int column = std::min(kColumns - 1, int(b.at.x * kColumns / pair_.still.width()));
            const int row = std::min(kRows - 1, int(b.at.y * kRows / pair_.still.height()));
            Tally &cell = cells[size_t(row * kColumns + column)];
            ++cell.textured;
            cell.agreeing += agrees(b);
            const double q = b.difference / (b.n + 0.02 * b.texture);
            cell.fit += 1.0 / (1.0 + 0.25 * q * q);
            const double determinant = b.xx * b.yy - b.xy * b.xy, trace = b.xx + b.yy;
            if (determinant < 0.01 * trace * trace)
                continue; // an edge says nothing of motion along it
            const double dx = (b.yy * b.bx - b.xy * b.by) / determinant, dy = (b.xx * b.by - b.xy * b.bx) / determinant;
            const double variance = trace / determinant; // of both together
            const double w = 1.0 / (variance + 1e-4);
            squares += w * std::min(dx * dx + dy * dy, double(kBlock * kBlock));
            information += w;
        }
        out.overlap = covered / (double(pair_.still.width()) * pair_.still.height());
        int counted = 0;
        for (const Tally &cell : cells)
            if (cell.textured > 0) {
                ++counted;
                out.places += cell.textured;
                out.agreement += double(cell.agreeing) / cell.textured;
                out.fit += cell.fit / cell.textured;
            }
        if (counted > 0) {
            out.agreement /= counted;
            out.fit /= counted;
        }
        out.residual = information > 0.0 ? std::sqrt(squares / information) : 0.0;
        return out;
    }

private:
    void lookAt(Block &b, const Transform &t) const
    {
        // At the middle between pixels (7.5, 7.5) of the block, in indices: half less than coordinates.
        const Point o = t(b.at), px = t({b.at.x + 1, b.at.y}), py = t({b.at.x, b.at.y + 1});
        const LocalMap map{float(o.x - 0.5),  float(o.y - 0.5),  float(px.x - o.x),
                           float(py.x - o.x), float(px.y - o.y), float(py.y - o.y)};
        const int columns = std::min(kBlock, pair_.still.width() - b.x),
                  rows = std::min(kBlock, pair_.still.height() - b.y);
        Sums sums;
        sumBlock(pair_.still.row(0, b.y) + b.x, pair_.gradientX.row(0, b.y) + b.x, pair_.gradientY.row(0, b.y) + b.x,
                 pair_.weight.row(0, b.y) + b.x, pair_.still.view().rowStride(), columns, rows, map,
                 pair_.moving.row(0, 0), pair_.movingValid.row(0, 0), pair_.moving.view().rowStride(),
                 pair_.movingValid.view().rowStride(), pair_.moving.width(), pair_.moving.height(), sums);
        b = seen(b, sums);
    }

    /// Blocks that differ more than most, measured against their texture, are believed less.
    void believe()
    {
        const auto misfit = [](const Block &b) { return b.difference / (b.n + 0.05 * b.texture); };
        std::vector<double> all;
        for (const Block &b : blocks_)
            if (isTextured(b))
                all.push_back(misfit(b));
        double usual = 1.0;
        if (!all.empty()) { // of the better quarter: more than half may belong to something that moves by itself
            const size_t quarter = all.size() / 4;
            std::nth_element(all.begin(), all.begin() + ptrdiff_t(quarter), all.end());
            usual = std::max(1.0, 3.0 * all[quarter]);
        }
        for (Block &b : blocks_) {
            const double q = misfit(b) / usual;
            b.belief = b.n > 0 ? 1.0 / ((1.0 + q * q) * (1.0 + q * q)) : 0.0;
        }
    }

    /// The richest model that the blocks hold fast: corners known to half a pixel.
    MotionModel determined(const Normal &n) const
    {
        for (MotionModel model :
             {MotionModel::Homography, MotionModel::Similarity, MotionModel::Rigid, MotionModel::Shift})
            if (uncertainty(n, parametersOf(model)) < 0.5)
                return model;
        return MotionModel::None;
    }

    PairLevel pair_;
    ExecContext &ctx_;
    Frame2 frame_{};
    std::vector<Block> blocks_;
    MotionModel model_ = MotionModel::None;
};

MotionModel modelOf(ModelChoice choice)
{
    constexpr MotionModel models[] = {MotionModel::Homography, MotionModel::Shift, MotionModel::Rigid,
                                      MotionModel::Similarity, MotionModel::Homography};
    return models[int(choice)];
}

} // namespace

Registration registerPair(const Guide &still, const Guide &moving, const Transform &start,
                          const RegistrationOptions &options, ExecContext &ctx)
{
    const int last = int(std::min(still.levels.size(), moving.levels.size())) - 1;
    const int finest = std::clamp(options.finest, 0, last), coarsest = std::clamp(options.coarsest, finest, last);
    for (const Guide *guide : {&still, &moving}) // smaller ones hold no block, nor the filters' borders
        if (std::min(guide->width, guide->height) < kBlock)
            return {};
    const MotionModel most = modelOf(options.model);
    Transform t = start;
    for (int level = coarsest; level >= finest; --level) {
        const double scale = std::exp2(-level);
        Registrar registrar(still, moving, level, ctx);
        const bool isLast = level == finest;
        t = registrar
                .converge(t.scaled(scale), most,
                          level == coarsest ? options.iterations : std::min(8, options.iterations),
                          isLast ? options.enough : 0.03)
                .scaled(1.0 / scale);
        if (!isLast)
            continue;
        t = t.scaled(scale);
        MotionModel model = registrar.model();
        registrar.look(t);
        if (options.model == ModelChoice::Automatic)
            std::tie(t, model) = registrar.simplest(t, model);
        else
            t = registrar.nearest(t, model = most);
        t = registrar.converge(t, model, 3, 0.002);
        Registration out = registrar.judge(t);
        out.model = model;
        if (options.model == ModelChoice::Automatic && !t.isIdentity()) {
            // Along a smooth gradient any motion looks like another exposure: it must explain what stillness does not.
            const Registration stillness = registrar.judge({});
            const double corners = motionOf(t, registrar.width(), registrar.height()).corners;
            constexpr double kMargin = 0.1, kInFullFrom = 2.0; // of the fit; pixels
            if (stillness.fit >= out.fit - kMargin * std::min(1.0, corners / kInFullFrom)) {
                out = stillness;
                out.model = MotionModel::None;
                t = {};
            }
        }
        out.transform = t.scaled(1.0 / scale);
        out.residual /= scale;
        return out;
    }
    return {};
}

} // namespace yolk
