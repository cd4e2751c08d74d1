// The rules of the tree: the core knows no Qt, and a folder of the core or of the window includes only folders that
// stand above it.
#include <QDirIterator>
#include <QFile>
#include <QProcess>
#include <QRegularExpression>
#include <QTest>

namespace {

const QStringList kOrder{"base",     "image",    "colour", "io",      "frames", "lens",  "denoise",
                         "align",    "movement", "merge",  "tone",    "adjust", "areas", "mend",
                         "geometry", "recipe",   "render", "project", "batch"};

/// The rooms of render; render.h names them all and is for those outside.
const QStringList kRooms{"set", "plan", "stages", "analysis", "views", "files"};

/// Of the window; what lies in no folder stands below all.
const QStringList kAppOrder{"theme",   "widgets",    "jobs", "document", "canvas", "framing",
                            "drawing", "lightscale", "sets", "tasting",  "steps",  "keeping"};

/// The first rule that an include of `header` in `folder` breaks; empty when it breaks none.
QString brokenRule(const QString &folder, const QString &header)
{
    if (QRegularExpression(QStringLiteral("^(Q[A-Z]|Qt|qt|moc_)")).match(header).hasMatch())
        return QStringLiteral("Qt in the core");
    const QString own = folder.section('/', 0, 0), other = header.section('/', 0, -2).section('/', 0, 0);
    if (kOrder.indexOf(other) > kOrder.indexOf(own))
        return QStringLiteral("%1 stands below %2").arg(other, own);
    const qsizetype room = kRooms.indexOf(folder.section('/', 1, 1));
    if (own != QStringLiteral("render") || room < 0)
        return {};
    if (header == QStringLiteral("render/render.h"))
        return QStringLiteral("render.h is for those outside");
    if (other == own && kRooms.indexOf(header.section('/', 1, -2)) > room)
        return QStringLiteral("%1 stands below %2").arg(header, folder);
    return {};
}

QString brokenAppRule(const QString &folder, const QString &header)
{
    const qsizetype at = kAppOrder.indexOf(folder);
    if (at < 0)
        return {};
    const QString other = header.section('/', 0, -2);
    const QString file = QStringLiteral(YOLK_SOURCE_DIR "/src/app/") + header;
    if (other.isEmpty() && header.endsWith(".h") && QFile::exists(file))
        return QStringLiteral("%1 stands below all folders").arg(header);
    return kAppOrder.indexOf(other) > at ? QStringLiteral("%1 stands below %2").arg(other, folder) : QString();
}

using Rule = QString (*)(const QString &folder, const QString &header);

/// How many includes below `root` were looked at; fails the test at the first that breaks the rule.
int checkedIncludes(const QString &root, Rule rule)
{
    const QRegularExpression include(QStringLiteral("^\\s*#\\s*include\\s*[<\"]([^>\"]+)"),
                                     QRegularExpression::MultilineOption);
    int includes = 0;
    QDirIterator it(root, {"*.h", "*.cpp"}, QDir::Files, QDirIterator::Subdirectories);
    while (it.hasNext()) {
        QFile file(it.next());
        if (!file.open(QIODevice::ReadOnly))
            return -1;
        const QString folder = QDir(root).relativeFilePath(file.fileName()).section('/', 0, -2);
        auto found = include.globalMatch(QString::fromUtf8(file.readAll()));
        while (found.hasNext()) {
            const QString header = found.next().captured(1), broken = rule(folder, header);
            if (!broken.isEmpty()) {
                qWarning("%s: %s: %s", qPrintable(file.fileName()), qPrintable(header), qPrintable(broken));
                return -1;
            }
            ++includes;
        }
    }
    return includes;
}

} // namespace

class TestArchitecture : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void theRulesCanFail()
    {
        QVERIFY(!brokenRule("image", "QImage").isEmpty());
        QVERIFY(!brokenRule("image", "QtCore/qglobal.h").isEmpty());
        QVERIFY(!brokenRule("base", "render/render.h").isEmpty());
        QVERIFY(brokenRule("render", "base/errors.h").isEmpty());
        QVERIFY(brokenRule("merge", "frames/frame.h").isEmpty());
        QVERIFY(!brokenRule("render/stages", "render/views/develop.h").isEmpty());
        QVERIFY(!brokenRule("render/set", "render/render.h").isEmpty());
        QVERIFY(!brokenRule("recipe", "render/set/measured.h").isEmpty());
        QVERIFY(brokenRule("render/views", "render/plan/render_plan.h").isEmpty());
        QVERIFY(brokenRule("render/views", "merge/agreement.h").isEmpty());
    }
    void coreFollowsThem()
    {
        const QString core = QStringLiteral(YOLK_SOURCE_DIR "/src/core");
        for (const QString &folder : QDir(core).entryList(QDir::Dirs | QDir::NoDotAndDotDot))
            QVERIFY2(kOrder.contains(folder), qPrintable(folder));
        for (const QString &room : QDir(core + "/render").entryList(QDir::Dirs | QDir::NoDotAndDotDot))
            QVERIFY2(kRooms.contains(room), qPrintable(room));
        QCOMPARE(QDir(core + "/render").entryList(QDir::Files), QStringList{"render.h"});
        QVERIFY(checkedIncludes(core, brokenRule) > 500); // the walk saw the tree
    }
    void theWindowFollowsThem()
    {
        const QString app = QStringLiteral(YOLK_SOURCE_DIR "/src/app");
        for (const QString &folder : QDir(app).entryList(QDir::Dirs | QDir::NoDotAndDotDot))
            QVERIFY2(kAppOrder.contains(folder), qPrintable(folder));
        QVERIFY(!brokenAppRule("document", "canvas/canvas.h").isEmpty());
        QVERIFY(!brokenAppRule("steps", "main_window.h").isEmpty());
        QVERIFY(brokenAppRule("steps", "canvas/drawn_shape.h").isEmpty());
        QVERIFY(checkedIncludes(app, brokenAppRule) > 200);
    }
    void commandLineLinksNoQt()
    {
        QProcess ldd;
        ldd.start(QStringLiteral("ldd"), {QStringLiteral(YOLK_CLI)});
        QVERIFY(ldd.waitForFinished());
        const QString libraries = QString::fromUtf8(ldd.readAllStandardOutput());
        QVERIFY(libraries.contains(QStringLiteral("libOpenEXR")));
        QVERIFY2(!libraries.contains(QStringLiteral("libQt")), qPrintable(libraries));
    }
};

QTEST_GUILESS_MAIN(TestArchitecture)
#include "tst_architecture.moc"
