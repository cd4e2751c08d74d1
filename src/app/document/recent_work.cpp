#include "document/recent_work.h"

#include <QBuffer>
#include <QFileInfo>
#include <QSettings>

#include <algorithm>

namespace yolk::app {
namespace {

constexpr qsizetype kMost = 3;
const QString kKey = QStringLiteral("recent");

QList<RecentWork> stored()
{
    QList<RecentWork> out;
    QSettings settings;
    const int count = settings.beginReadArray(kKey);
    for (int i = 0; i < count; ++i) {
        settings.setArrayIndex(i);
        RecentWork work{
            settings.value(QStringLiteral("title")).toString(), settings.value(QStringLiteral("frames")).toStringList(),
            settings.value(QStringLiteral("when")).toDateTime(), settings.value(QStringLiteral("kept")).toString(),
            QImage::fromData(settings.value(QStringLiteral("picture")).toByteArray())};
        if (!work.frames.isEmpty())
            out << work;
    }
    settings.endArray();
    return out;
}

} // namespace

QList<RecentWork> recentWork()
{
    QList<RecentWork> out = stored();
    out.removeIf([](const RecentWork &work) {
        return !QFileInfo::exists(work.frames.front()) && !QFileInfo::exists(work.kept);
    });
    return out;
}

void rememberWork(const RecentWork &work)
{
    QList<RecentWork> all = stored();
    all.removeIf([&](const RecentWork &other) { return other.frames == work.frames; });
    all.prepend(work);
    QSettings settings;
    settings.beginWriteArray(kKey, int(std::min(kMost, all.size())));
    for (int i = 0; i < int(std::min(kMost, all.size())); ++i) {
        settings.setArrayIndex(i);
        settings.setValue(QStringLiteral("title"), all[i].title);
        settings.setValue(QStringLiteral("frames"), all[i].frames);
        settings.setValue(QStringLiteral("when"), all[i].when);
        settings.setValue(QStringLiteral("kept"), all[i].kept);
        QByteArray picture;
        QBuffer buffer(&picture);
        all[i].picture.save(&buffer, "PNG");
        settings.setValue(QStringLiteral("picture"), picture);
    }
    settings.endArray();
}

} // namespace yolk::app
