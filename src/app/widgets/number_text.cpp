#include "widgets/number_text.h"

#include <QCoreApplication>
#include <QLocale>

#include <algorithm>
#include <cmath>

namespace yolk::app {

QString signedNumber(double value, int decimals)
{
    const QString text = QLocale().toString(std::abs(value), 'f', decimals);
    if (text == QLocale().toString(0.0, 'f', decimals))
        return text;
    return (value < 0 ? QChar(0x2212) : QChar('+')) + text;
}

QString evText(double ev)
{
    const double rounded = std::round(ev * 100.0) / 100.0;
    int decimals = 0;
    while (decimals < 2 &&
           std::abs(rounded - std::round(rounded * std::pow(10, decimals)) / std::pow(10, decimals)) > 1e-9)
        ++decimals;
    return signedNumber(rounded, decimals) + QStringLiteral(" EV");
}

QString percentText(double share)
{
    if (share <= 0.0)
        return QStringLiteral("0 %");
    if (share < 5e-5)
        return QCoreApplication::translate("NumberText", "less than 0.01 %");
    return QLocale().toString(share * 100.0, 'f', share < 0.01 ? 2 : 1) + QStringLiteral("\u00a0%");
}

QString durationText(double seconds)
{
    constexpr double kMinutesFrom = 90.0;
    return seconds < kMinutesFrom
               ? QCoreApplication::translate("number_text", "%1 s").arg(std::max(1, int(std::lround(seconds))))
               : QCoreApplication::translate("number_text", "%1 min").arg(std::lround(seconds / 60.0));
}

QString shutterText(const Metadata &metadata)
{
    const auto &seconds = metadata.exposureSeconds;
    if (!seconds)
        return {};
    return *seconds < 0.3 ? QStringLiteral("1/%1 s").arg(std::lround(1.0 / *seconds))
                          : QLocale().toString(*seconds, 'g', 3) + QStringLiteral(" s");
}

} // namespace yolk::app
