// yolk-bench: ./run bench [--json FILE] [NAME...], NAME being a group.
#include "benchmarks.h"

#include "theme/theme.h"

#include <QApplication>
#include <QDir>
#include <QSettings>
#include <QTemporaryDir>

#include <cstdio>

int main(int argc, char **argv)
{
    using namespace yolk::bench;
    qputenv("QT_QPA_PLATFORM", "offscreen");
    const QTemporaryDir settings;
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
    QApplication application(argc, argv);
    QApplication::setOrganizationName(QStringLiteral("yolk-bench"));
    yolk::app::Theme::instance().install();

    QStringList names = QApplication::arguments().mid(1);
    QString json;
    if (const qsizetype at = names.indexOf(QStringLiteral("--json")); at >= 0 && at + 1 < names.size()) {
        json = names[at + 1];
        names.remove(at, 2);
    }
    const std::pair<QString, void (*)(Report &, const std::string &)> groups[] = {
        {QStringLiteral("merge"), &benchMerge},
        {QStringLiteral("merge-large"), &benchLargeMerge},
        {QStringLiteral("limit"), &benchLimit},
        {QStringLiteral("quality"), &benchQuality},
        {QStringLiteral("align"), &benchAlign},
        {QStringLiteral("align-4ev"), &benchAlignFarApart},
        {QStringLiteral("align-jpeg"), &benchAlignJpeg},
        {QStringLiteral("align-bayer"), &benchAlignBayer},
        {QStringLiteral("parallax"), &benchParallax},
        {QStringLiteral("movement"), &benchMovement},
        {QStringLiteral("worlds"), &benchWorlds},
        {QStringLiteral("whole"), &benchWhole},
        {QStringLiteral("lights"), &benchLights},
        {QStringLiteral("straighten"), &benchStraighten},
        {QStringLiteral("geometry"), &benchExport},
        {QStringLiteral("deliver"), &benchDeliver},
        {QStringLiteral("areas"), &benchAreas},
        {QStringLiteral("finish"), &benchFinish},
        {QStringLiteral("mend"), &benchMend},
        {QStringLiteral("dust"), &benchDust},
        {QStringLiteral("start"), &benchStart},
        {QStringLiteral("tone"), &benchTone},
        {QStringLiteral("tone-quality"), &benchToneQuality},
        {QStringLiteral("tone-time"), &benchToneTime},
        // From here on memory is kept as our programs keep it, which cannot be taken back.
        {QStringLiteral("chain"), &benchChain},
        {QStringLiteral("window"), &benchWindow},
        {QStringLiteral("sliders"), &benchSliders},
        {QStringLiteral("canvas"), &benchCanvas}};
    QStringList known;
    for (const auto &group : groups)
        known << group.first;
    for (const QString &name : names)
        if (!known.contains(name)) {
            std::fprintf(stderr, "yolk-bench: there is no group %s (%s)\n", qPrintable(name),
                         qPrintable(known.join(QStringLiteral(", "))));
            return 2;
        }
    const std::string folder =
        QDir(QCoreApplication::applicationDirPath()).filePath(QStringLiteral("../bench-data")).toStdString();
    Report report;
    for (const auto &[name, run] : groups)
        if (names.isEmpty() || names.contains(name))
            run(report, folder);
    if (!json.isEmpty() && !report.writeJson(json.toStdString())) {
        std::fprintf(stderr, "yolk-bench: cannot write %s\n", qPrintable(json));
        return 1;
    }
    return 0;
}
