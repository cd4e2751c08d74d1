#include "support/compare.h"

#include <cmath>
#include <limits>
#include <vector>

namespace yolk::test {
namespace {

template <class T, class Allowed>
QByteArray worst(ImageView<const T> got, ImageView<const T> want, const Allowed &allowed)
{
    if (got.shape() != want.shape())
        return QByteArray("shapes differ: ") + QByteArray::number(got.width()) + "x" +
               QByteArray::number(got.height()) + " and " + QByteArray::number(want.width()) + "x" +
               QByteArray::number(want.height());
    double most = 0.0;
    QByteArray message;
    for (int p = 0; p < got.planes(); ++p)
        for (int y = 0; y < got.height(); ++y)
            for (int x = 0; x < got.width(); ++x) {
                const double a = double(got.row(p, y)[x]), b = double(want.row(p, y)[x]);
                const double excess = std::abs(a - b) - allowed(b);
                if (excess <= 0.0)
                    continue;
                const double size = std::isnan(excess) ? std::numeric_limits<double>::infinity() : excess;
                if (message.isEmpty() || size > most) {
                    most = size;
                    message = "plane " + QByteArray::number(p) + " at " + QByteArray::number(x) + "," +
                              QByteArray::number(y) + ": " + QByteArray::number(a, 'g', 9) + ", not " +
                              QByteArray::number(b, 'g', 9);
                }
            }
    return message;
}

} // namespace

QByteArray firstDifference(ImageView<const float> got, ImageView<const float> want, double absolute, double relative)
{
    return worst<float>(got, want, [&](double b) { return absolute + relative * std::abs(b); });
}

QByteArray firstDifference(ImageView<const uint8_t> got, ImageView<const uint8_t> want)
{
    return worst<uint8_t>(got, want, [](double) { return 0.0; });
}

QByteArray firstDifference(ImageView<const uint16_t> got, ImageView<const uint16_t> want, int limit)
{
    return worst<uint16_t>(got, want, [limit](double) { return double(limit); });
}

double rmsStops(ImageView<const float> got, ImageView<const float> want, ImageView<const uint8_t> counts)
{
    std::vector<double> stops;
    int lost = 0;
    for (int p = 0; p < got.planes(); ++p)
        for (int y = 0; y < got.height(); ++y)
            for (int x = 0; x < got.width(); ++x) {
                if (!counts.row(0, y)[x])
                    continue;
                const double a = double(got.row(p, y)[x]), b = double(want.row(p, y)[x]);
                if (a > 0.0 && b > 0.0)
                    stops.push_back(std::log2(a / b));
                else
                    ++lost;
            }
    double mean = 0.0, squares = 400.0 * lost;
    for (double s : stops)
        mean += s / double(stops.size());
    for (double s : stops)
        squares += (s - mean) * (s - mean);
    return std::sqrt(squares / double(stops.size() + size_t(lost)));
}

} // namespace yolk::test
