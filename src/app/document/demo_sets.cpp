#include "document/demo_sets.h"

#include <QCoreApplication>
#include <QDir>

namespace yolk::app {

std::vector<DemoSet> demoSets()
{
    const auto tr = [](const char *text) { return QCoreApplication::translate("DemoSets", text); };
    const QString installed = QCoreApplication::applicationDirPath() + QStringLiteral("/../share/yolk/demo");
    const QString root = QDir(installed).exists() ? installed : QStringLiteral(YOLK_DEMO_DIR);
    std::vector<DemoSet> out;
    const auto add = [&](const char *folder, const QString &name, const char *content) {
        const QDir dir(root + QLatin1Char('/') + QLatin1String(folder));
        QStringList frames;
        for (const QString &file : dir.entryList(QDir::Files, QDir::Name))
            frames << dir.filePath(file);
        if (!frames.isEmpty())
            out.push_back({QLatin1String(folder), name, tr(content).arg(frames.size()), frames});
    };
    add("henhouse-handheld", tr("Held by hand"), QT_TRANSLATE_NOOP("DemoSets", "%1 raw frames, hens on the move"));
    add("henhouse-tripod", tr("On a tripod"), QT_TRANSLATE_NOOP("DemoSets", "%1 JPEG frames, nothing moves"));
    add("henhouse-single", tr("A single frame"), QT_TRANSLATE_NOOP("DemoSets", "%1 dark raw frame"));
    return out;
}

} // namespace yolk::app
