// The rules of the tree: the core knows no Qt, and a folder of the core includes only folders that stand above it.
#include <QDirIterator>
#include <QFile>
#include <QProcess>
#include <QRegularExpression>
#include <QTest>

namespace {

const QStringList kOrder{"base",  "image", "colour", "io",    "frames", "lens",     "denoise", "align", "movement",
                         "merge", "tone",  "adjust", "areas", "mend",   "geometry", "recipe",  "render"};

/// The first rule that an include of `header` in `folder` breaks; empty when it breaks none.
QString brokenRule(const QString &folder, const QString &header)
{
    if (QRegularExpression(QStringLiteral("^(Q[A-Z]|Qt|qt|moc_)")).match(header).hasMatch())
        return QStringLiteral("Qt in the core");
    const qsizetype slash = header.indexOf('/');
    const qsizetype other = slash < 0 ? -1 : kOrder.indexOf(header.left(slash));
    if (other >= 0 && other > kOrder.indexOf(folder))
        return QStringLiteral("%1 stands below %2").arg(header.left(slash), folder);
    return {};
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
    }
    void coreFollowsThem()
    {
        const QString core = QStringLiteral(YOLK_SOURCE_DIR "/src/core");
        const QRegularExpression include(QStringLiteral("^\\s*#\\s*include\\s*[<\"]([^>\"]+)"),
                                         QRegularExpression::MultilineOption);
        int files = 0, includes = 0;
        QDirIterator it(core, {"*.h", "*.cpp"}, QDir::Files, QDirIterator::Subdirectories);
        while (it.hasNext()) {
            QFile file(it.next());
            QVERIFY(file.open(QIODevice::ReadOnly));
            const QString folder = QDir(core).relativeFilePath(file.fileName()).section('/', 0, 0);
            QVERIFY2(kOrder.contains(folder), qPrintable(folder));
            auto found = include.globalMatch(QString::fromUtf8(file.readAll()));
            while (found.hasNext()) {
                const QString header = found.next().captured(1);
                const QString rule = brokenRule(folder, header);
                QVERIFY2(rule.isEmpty(), qPrintable(file.fileName() + ": " + header + ": " + rule));
                ++includes;
            }
            ++files;
        }
        QVERIFY(files > 20 && includes > 100); // the walk saw the tree
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
