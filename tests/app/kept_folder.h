// A folder with a few frames in it, and the work that is kept beside them.
#pragma once

#include "document/document.h"
#include "support/demo_data.h"
#include "support/synthetic.h"

#include <QDir>
#include <QFile>
#include <QFileInfo>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>

namespace yolk::test {

using namespace yolk::app;

/// Nobody's own work and settings; before the first window.
inline void keepAwayFromOwnWork()
{
    qputenv("XDG_DATA_HOME", QDir::tempPath().toLocal8Bit() + "/yolk-test-data");
    QStandardPaths::setTestModeEnabled(true);
}

/// Until the full merge stands and nothing is under way.
inline void settle(Document &document)
{
    const auto busy = [&] { return std::ranges::any_of(document.lanes(), [](Lane *lane) { return lane->busy(); }); };
    QTRY_VERIFY_WITH_TIMEOUT(document.isOpen() && document.fullMergeReady() && !busy(), 60000);
}

class KeptFolder {
public:
    /// Three frames of the set on a tripod.
    KeptFolder()
    {
        QVERIFY(QDir().mkpath(path()));
        const QStringList all = demoPaths("henhouse-tripod");
        for (const qsizetype i : {1, 3, 5})
            QVERIFY(QFile::copy(all[i], path() + QLatin1Char('/') + QFileInfo(all[i]).fileName()));
    }
    QString path() const { return dir_.filePath(QStringLiteral("set")); }
    QString beside(const QString &name) const { return dir_.filePath(name); }
    QStringList frames() const { return framesIn(path()); }
    static QStringList framesIn(const QString &folder)
    {
        QStringList out;
        for (const QFileInfo &info : QDir(folder).entryInfoList({QStringLiteral("*.jpg")}, QDir::Files, QDir::Name))
            out << info.absoluteFilePath();
        return out;
    }
    QStringList projects() const { return QDir(path()).entryList({QStringLiteral("*.yolk")}, QDir::Files); }
    void open(Document &document) const
    {
        document.setKeepsWork(true);
        document.open(frames());
        settle(document);
    }
    /// Work with this exposure in a window that was closed; the path of its file.
    QString leaveWork(double exposure = 1.5) const
    {
        Document document;
        open(document);
        document.setTone(&ToneSettings::exposure, exposure, QStringLiteral("exposure"));
        return document.keptPath();
    }

private:
    QTemporaryDir dir_;
};

} // namespace yolk::test
