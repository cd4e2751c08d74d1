#include "document/merge_store.h"

#include <QFile>
#include <QSettings>
#include <QStandardPaths>

#include <algorithm>

namespace yolk::app {
namespace {

const QString kKey = QStringLiteral("cacheGigabytes");

} // namespace

int cacheGigabytes()
{
    return std::clamp(QSettings().value(kKey, kCacheGigabytes).toInt(), 0, kMostCacheGigabytes);
}

void setCacheGigabytes(int size)
{
    QSettings().setValue(kKey, size);
}

std::shared_ptr<const MergedStore> mergeStore()
{
    const QString folder = QStandardPaths::writableLocation(QStandardPaths::CacheLocation) + QStringLiteral("/merges");
    return std::make_shared<const MergedStore>(QFile::encodeName(folder).toStdString(), size_t(cacheGigabytes()) << 30);
}

} // namespace yolk::app
