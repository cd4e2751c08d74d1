#include "align/registration.h"

#include "align/pair_level_p.h"

#include <Eigen/Dense>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <optional>

namespace yolk {
namespace {

constexpr int kParameters = 8;
using Vector8 = Eigen::Matrix<double, kParameters, 1>;
using Matrix8 = Eigen::Matrix<double, kParameters, kParameters>;

constexpr int parametersOf(MotionModel model)
{
    constexpr int counts[] = {0, 2, 3, 4, 8};
    return counts[int(model)];
}

/// Coordinates of the motion: the middle of the picture is 0, a corner has distance 1.
struct Centred {
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
        const double width = pair_.width, height = pair_.height;
        frame_ = {width / 2, height / 2, std::hypot(width, height) / 2};
        for (int y = 0; y + kBlock / 2 < pair_.height; y += kBlock)
            for (int x = 0; x + kBlock / 2 < pair_.width; x += kBlock) {
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
        if (looked_ && *looked_ == transform)
            return;
        looked_ = transform;
        constexpr int kRun = 64;
        const int runs = (int(blocks_.size()) + kRun - 1) / kRun;
        ExecContext own = ctx_.child({});
        forEachPart(own, runs, [&](int run, ExecContext &) {
            for (size_t i = size_t(run) * kRun; i < std::min(blocks_.size(), size_t(run + 1) * kRun); ++i)
                blocks_[i] = lookAt(pair_, blocks_[i], transform);
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
            const Transform next = transform.after(change);
            if (!isProper(next, 2 * frame_.cx, 2 * frame_.cy))
                return transform;
            transform = next;
            if (moved < enough)
                break;
        }
        return transform;
    }
    double width() const { return 2 * frame_.cx; }
    double height() const { return 2 * frame_.cy; }
    MotionModel model() const { return model_; }
    const std::vector<Block> &blocks() const { return blocks_; }

    /// How the frames fit as they lie, where one step towards a better fit gains no more than noise would; else
    /// nothing. Most frames from a tripod need no more than this look.
    std::optional<Registration> stillness()
    {
        constexpr double kSureFit = 0.8; // with less, the step may say nothing
        struct D {};
        Registration out = judge({});
        const Normal n = normal();
        const int parameters = n.pixels > 0.0 ? parametersOf(determined(n)) : 0;
        if (out.fit < kSureFit || parameters == 0)
            return std::nullopt;
        const double gain = solve(n, parameters).head(parameters).dot(n.b.head(parameters));
        if (!(gain / noiseFactor(n) < parameters * std::log(believedPlaces() + 2.0)))
            return std::nullopt;
        out.model = MotionModel::None;
        return out;
    }

    /// The simplest transform that explains the blocks as well as `transform` does, as far as noise lets us tell.
    std::pair<Transform, MotionModel> simplest(const Transform &transform, MotionModel upTo) const
    {
        const Normal n = normal();
        const double factor = noiseFactor(n), places = believedPlaces();
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
            const Transform next = out.after(frame_.transformOf(solve(n, parametersOf(model))));
            if (!isProper(next, 2 * frame_.cx, 2 * frame_.cy))
                break;
            out = next;
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
            const int column = std::min(kColumns - 1, int(b.at.x * kColumns / pair_.width));
            const int row = std::min(kRows - 1, int(b.at.y * kRows / pair_.height));
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
        out.overlap = covered / (double(pair_.width) * pair_.height);
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
    double believedPlaces() const
    {
        return double(std::ranges::count_if(blocks_, [](const Block &b) { return b.belief > 0.0; }));
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
    Centred frame_{};
    std::vector<Block> blocks_;
    std::optional<Transform> looked_; ///< what the blocks were looked at under
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
    if (start.isIdentity() && options.model == ModelChoice::Automatic)
        if (auto out = Registrar(still, moving, finest, ctx).stillness()) {
            out->residual *= std::exp2(finest);
            return *out;
        }
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
        t = registrar.converge(t, model, 3, 0.7 * options.enough);
        Registration out = registrar.judge(t);
        out.model = model;
        if (options.model == ModelChoice::Automatic && !t.isIdentity()) {
            // Along a smooth gradient any motion looks like another exposure: it must explain what stillness does not.
            const Registration stillness = registrar.judge({});
            const double corners = motionOf(t, registrar.width(), registrar.height()).corners;
            constexpr double kMargin = 0.1, kInFullFrom = 2.0; // share of the fit; pixels
            if (stillness.fit >= out.fit * (1.0 - kMargin * std::min(1.0, corners / kInFullFrom))) {
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
