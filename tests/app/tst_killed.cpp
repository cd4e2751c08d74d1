// Killed at any moment: no file is broken, and no more than two seconds of work are lost.
// YOLK_KILLS sets how often; tests/kill-many runs 200.
#include "kept_folder.h"
#include "opened_window.h"

#include "io/atomic_file.h"
#include "project/project.h"

#include <QProcess>
#include <QRandomGenerator>
#include <QTimer>

#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <fstream>

using namespace yolk;
using namespace yolk::app;

class TestKilled : public QObject {
    Q_OBJECT
    std::unique_ptr<test::KeptFolder> set_;

    static int kills(int otherwise)
    {
        const QByteArray wanted = qgetenv("YOLK_KILLS");
        return wanted.isEmpty() ? otherwise : wanted.toInt();
    }
    QString output() const { return set_->beside(QStringLiteral("written")); }

    /// Whether every picture and radiance file that was written can be read to its end.
    QString brokenOutput() const
    {
        for (const QFileInfo &file : QDir(output()).entryInfoList(QDir::Files | QDir::Hidden)) {
            if (file.fileName().startsWith(QLatin1Char('.')))
                continue; // has no name of ours yet
            try {
                const FramePtr frame = loadFrame(file.filePath().toStdString());
                ThreadRunner runner;
                ExecContext ctx(runner);
                if (frame->isRadiance())
                    static_cast<void>(decodeRadiance(*frame, 1, ctx));
                else
                    static_cast<void>(decodeFrame(*frame, 1, ctx));
            } catch (const Error &e) {
                return QString::fromUtf8(e.what());
            }
        }
        return {};
    }

    /// Kills somebody who edits, saves and exports, and looks at what is left.
    void killOnce(QRandomGenerator &random, const QString &layer)
    {
        QProcess editor;
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        if (!layer.isEmpty()) {
            environment.insert(QStringLiteral("LD_PRELOAD"), layer);
            environment.insert(QStringLiteral("ASAN_OPTIONS"), QStringLiteral("verify_asan_link_order=0"));
        }
        editor.setProcessEnvironment(environment);
        editor.start(QCoreApplication::applicationFilePath(), {QStringLiteral("edit"), set_->path(), output()});
        QList<std::pair<qint64, int>> seen; // milliseconds, number of the change
        QElapsedTimer since;
        qint64 until = 0;
        while (!since.isValid() || since.elapsed() < until) {
            QVERIFY2(editor.waitForReadyRead(60000), editor.readAllStandardError().constData());
            while (editor.canReadLine()) {
                const int number = editor.readLine().trimmed().toInt();
                if (!since.isValid()) {
                    since.start();
                    until = 2500 + qint64(random.bounded(1500));
                }
                seen << std::pair(since.elapsed(), number);
            }
        }
        const qint64 killed = since.elapsed();
        editor.kill();
        QVERIFY(editor.waitForFinished(10000));
        QCOMPARE(set_->projects().size(), 1);
        const QString path = QDir(set_->path()).filePath(set_->projects()[0]);
        const Project kept = parseProject(test::bytesOf(path).toStdString()); // whole, or it would throw
        const double number = std::round(kept.history.current().tone.exposure * 1000.0);
        int expected = 0;
        for (const auto &[when, change] : seen)
            if (when < killed - 2000)
                expected = change;
        QVERIFY2(expected > 0 && number >= expected, qPrintable(QStringLiteral("%1 of %2").arg(number).arg(expected)));
        const QString broken = brokenOutput();
        QVERIFY2(broken.isEmpty(), qPrintable(broken));
        QVERIFY(wasCutOff(path));  // so that the next start offers it
        QVERIFY(!wasCutOff(path)); // once
        QVERIFY(QFile::remove(path));
        QVERIFY(QDir(output()).removeRecursively());
    }

private Q_SLOTS:
    void init() { set_ = std::make_unique<test::KeptFolder>(); }

    void atAnyMoment()
    {
        QRandomGenerator random(20261129);
        for (int kill = 0; kill < kills(4) && !QTest::currentTestFailed(); ++kill)
            killOnce(random, {});
    }
    void thePowerFails() // what was not flushed is gone
    {
        QRandomGenerator random(20261130);
        for (int kill = 0; kill < kills(3) && !QTest::currentTestFailed(); ++kill)
            killOnce(random, QStringLiteral(YOLK_DROPS_UNSYNCED));
    }
    void theLayerDrops() // or it would prove nothing
    {
        QProcess writer;
        QProcessEnvironment environment = QProcessEnvironment::systemEnvironment();
        environment.insert(QStringLiteral("LD_PRELOAD"), QStringLiteral(YOLK_DROPS_UNSYNCED));
        environment.insert(QStringLiteral("ASAN_OPTIONS"), QStringLiteral("verify_asan_link_order=0"));
        writer.setProcessEnvironment(environment);
        writer.start(QCoreApplication::applicationFilePath(), {QStringLiteral("careless"), set_->path()});
        QVERIFY(writer.waitForFinished(60000));
        const QDir folder(set_->path());
        QVERIFY(!folder.exists(QStringLiteral("renamed.txt"))); // its folder was not flushed
        QVERIFY(folder.exists(QStringLiteral("empty.txt")));
        QVERIFY(test::bytesOf(folder.filePath(QStringLiteral("empty.txt"))).isEmpty());
        QCOMPARE(test::bytesOf(folder.filePath(QStringLiteral("careful.txt"))), QByteArray("text"));
    }
};

namespace {

/// Somebody who changes the exposure all the time and says so, while files are written: another process, to be killed.
int edit(const QString &folder, const QString &output)
{
    QDir().mkpath(output);
    Document document;
    document.setKeepsWork(true);
    document.open(test::KeptFolder::framesIn(folder));
    QTimer timer;
    int number = 0, written = 0;
    const auto write = [&] {
        const QString path = QStringLiteral("%1/%2").arg(output).arg(written);
        if (written++ % 3 == 2)
            return document.saveRadiance(path + (written % 2 ? QStringLiteral(".exr") : QStringLiteral(".dng")));
        const auto &traits = kPictureFormats[size_t(written) % kPictureFormats.size()];
        document.exportPicture(path + QString::fromStdString(suffixesOf(traits.format).front()));
    };
    QObject::connect(&document, &Document::kept, &document, write);
    QObject::connect(&timer, &QTimer::timeout, &timer, [&] {
        if (!document.isOpen())
            return;
        if (written == 0)
            write();
        document.setTone(&ToneSettings::exposure, ++number / 1000.0, QStringLiteral("exposure"));
        std::printf("%d\n", number);
        std::fflush(stdout);
    });
    timer.start(20);
    return QCoreApplication::exec();
}

/// Files by the same way, with and without what makes them last.
int careless(const QString &folder)
{
    const auto write = [&](const QString &name, Durability durability) {
        writeAtomically((folder + name).toStdString(),
                        [](const std::string &temporary) { std::ofstream(temporary) << "text"; }, durability);
    };
    write(QStringLiteral("/empty.txt"), Durability::Renamed);
    write(QStringLiteral("/careful.txt"), Durability::Flushed); // and with it the name of the one before
    write(QStringLiteral("/renamed.txt"), Durability::Renamed);
    std::_Exit(0);
}

} // namespace

int main(int argc, char **argv)
{
    QApplication application(argc, argv);
    test::keepAwayFromOwnWork(); // the other process too
    if (argc == 4 && QByteArray(argv[1]) == "edit")
        return edit(QString::fromLocal8Bit(argv[2]), QString::fromLocal8Bit(argv[3]));
    if (argc == 3 && QByteArray(argv[1]) == "careless")
        return careless(QString::fromLocal8Bit(argv[2]));
    TestKilled test;
    return QTest::qExec(&test, argc, argv);
}
#include "tst_killed.moc"
