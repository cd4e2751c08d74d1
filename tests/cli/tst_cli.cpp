// The command line's contract: exit codes, one-line errors, complete files or none.
#include "io/metadata.h"
#include "io/radiance_file.h"
#include "recipe/recipe_json.h"
#include "support/compare.h"
#include "support/handheld.h"
#include "support/synthetic.h"

#include <exiv2/exiv2.hpp>
#include <opencv2/imgcodecs.hpp>
#include <QDir>
#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QProcess>
#include <QTemporaryDir>
#include <QTest>
#include <unistd.h>

#include <csignal>
#include <sys/resource.h>

using namespace yolk;

namespace {

struct Result {
    int code;
    QString out, err;
};

Result run(const QStringList &arguments, const std::function<void()> &before = {})
{
    QProcess process;
    if (before)
        process.setChildProcessModifier(before);
    process.start(QStringLiteral(YOLK_CLI), arguments);
    process.waitForFinished(120000);
    return {process.exitStatus() == QProcess::NormalExit ? process.exitCode() : -1,
            QString::fromUtf8(process.readAllStandardOutput()), QString::fromUtf8(process.readAllStandardError())};
}

/// The last line of standard error, which is the error; warnings may stand before it.
QString errorOf(const Result &r)
{
    return r.err.trimmed().section('\n', -1);
}

} // namespace

class TestCli : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    QStringList frames_;
    QString at(const char *name) const { return dir_.filePath(QString::fromLatin1(name)); }
    QStringList merge(const QStringList &more) const { return QStringList{"merge"} + frames_ + more; }
    QStringList develop(const QStringList &more) const { return QStringList{"develop"} + frames_ + more; }

    /// Until the process holds a file in `folder` open that has no name yet and some content, or is done.
    static void waitUntilWriting(QProcess &process, const QDir &folder)
    {
        const QDir open(QStringLiteral("/proc/%1/fd").arg(process.processId()));
        const auto writing = [&] {
            for (const QString &fd : open.entryList(QDir::System | QDir::Files | QDir::NoDotAndDotDot)) {
                char to[4096] = {};
                if (readlink(QFile::encodeName(open.filePath(fd)).constData(), to, sizeof to - 1) > 0 &&
                    QByteArray(to).startsWith(QFile::encodeName(folder.path())) && QByteArray(to).contains("deleted") &&
                    QFileInfo(open.filePath(fd)).size() > 0)
                    return true;
            }
            return false;
        };
        while (process.state() == QProcess::Running && !writing())
            process.waitForFinished(1);
    }

private Q_SLOTS:
    void initTestCase()
    {
        frames_ = test::writeBracket(dir_.path(), test::rampScene(120, 90, 0.002, 10).view(), {0, -2, 2}, 1.0);
    }

    void infoSaysWhatTheFramesAre()
    {
        const Result text = run(QStringList{"info"} + frames_);
        QCOMPARE(text.code, 0);
        QVERIFY(text.out.contains("1/128 s") && text.out.contains("-2.00"));
        const Result json = run(QStringList{"info", "--json"} + frames_);
        const QJsonObject root = QJsonDocument::fromJson(json.out.toUtf8()).object();
        QCOMPARE(root["frames"].toArray().size(), 3);
        QCOMPARE(root["reference"].toInt(), 2);
        const QJsonObject first = root["frames"].toArray()[0].toObject();
        QCOMPARE(first["given"].toInt(), 2); // both numbers are said
        QCOMPARE(first["number"].toInt(), 1);
        QVERIFY(std::abs(first["ev"].toDouble() + 2.0) < 1e-9);
        QCOMPARE(first["f_number"].toDouble(), 8.0);
    }
    void mergeWritesEveryFormatAndSpace()
    {
        QCOMPARE(run(merge({"-o", at("a.exr")})).code, 0);
        QCOMPARE(run(merge({"-o", at("b.exr"), "--space", "ap1"})).code, 0);
        QCOMPARE(run(merge({"-o", at("a.hdr")})).code, 0);
        const RadianceFile a = readExr(at("a.exr").toStdString()), b = readExr(at("b.exr").toStdString());
        QCOMPARE(a.notes.primaries.red.x, double(0.64f));
        QCOMPARE(b.notes.primaries.red.x, double(0.713f));
        // The same light in other primaries.
        const Matrix3 m = rgbToRgb(kRec709, kAp1);
        const Vector3 want = m * Vector3{a.rgb.row(0, 40)[60], a.rgb.row(1, 40)[60], a.rgb.row(2, 40)[60]};
        for (int c = 0; c < 3; ++c)
            QVERIFY(std::abs(double(b.rgb.row(c, 40)[60]) / want[size_t(c)] - 1.0) < 1e-5);
        QVERIFY(!cv::imread(at("a.hdr").toStdString(), cv::IMREAD_UNCHANGED).empty());
        QCOMPARE(run(merge({"-o", at("a.tif")})).code, 0);
        const cv::Mat tiff = cv::imread(at("a.tif").toStdString(), cv::IMREAD_UNCHANGED);
        QCOMPARE(tiff.type(), CV_32FC3);
        for (int c = 0; c < 3; ++c)
            QCOMPARE(tiff.at<cv::Vec3f>(40, 60)[2 - c], a.rgb.row(c, 40)[60]); // bit for bit, blue first
        QVERIFY(run(merge({"-o", at("half.exr"), "--set", "radiance.pixels=half", "--set", "radiance.variance=on",
                           "--set", "radiance.shares=on"}))
                    .code == 0);
        const RadianceFile half = readExr(at("half.exr").toStdString());
        for (int c = 0; c < 3; ++c) // 11 bits of mantissa
            QVERIFY(std::abs(half.rgb.row(c, 40)[60] / a.rgb.row(c, 40)[60] - 1.0f) <= 1.0f / 2048);
        QCOMPARE(run(merge({"-o", at("x.exr"), "--set", "radiance.pixels=64"})).code, 2);
        QCOMPARE(run(merge({"-o", at("x.hdr"), "--space", "ap1"})).code, 2);
        QVERIFY(!QFileInfo::exists(at("x.exr")));
    }
    void oneIsTheClippingOfTheReference()
    {
        // Noise reduction acts on what is darker than the reference, so it must be out of the way.
        test::writeBytes(at("plain.json"), R"({"format": "yolk-recipe", "version": 1, "prepare": {"dark_noise": 0}})");
        run(merge({"-o", at("r2.exr"), "--reference", "2", "--recipe", at("plain.json")}));
        run(merge({"-o", at("r1.exr"), "--recipe", at("plain.json")}));
        const RadianceFile two = readExr(at("r2.exr").toStdString()), one = readExr(at("r1.exr").toStdString());
        for (int x : {5, 60, 110})
            QVERIFY(std::abs(one.rgb.row(1, 45)[x] / two.rgb.row(1, 45)[x] - 4.0f) <
                    1e-3f); // frame 2 clips 2 EV higher
    }
    void excludeAndInfluenceCount()
    {
        QCOMPARE(run(merge({"-o", at("all.exr")})).code, 0);
        QCOMPARE(run(merge({"-o", at("two.exr"), "--exclude", "3"})).code, 0);
        QCOMPARE(run(merge({"-o", at("zero.exr"), "--influence", "3=0"})).code, 0);
        QVERIFY(test::bytesOf(at("two.exr")) != test::bytesOf(at("all.exr")));
        const RadianceFile two = readExr(at("two.exr").toStdString()), zero = readExr(at("zero.exr").toStdString());
        QVERIFY(two.rgb.shape() == zero.rgb.shape());
    }
    void reportTellsWhatWasDone()
    {
        QCOMPARE(run(merge({"-o", at("rep.exr"), "--report", at("rep.json"), "--exclude", "1"})).code, 0);
        const QJsonObject report = QJsonDocument::fromJson(test::bytesOf(at("rep.json"))).object();
        QCOMPARE(report["frames"].toArray().size(), 3);
        int used = 0;
        for (const auto &f : report["frames"].toArray())
            used += f.toObject()["used"].toBool();
        QCOMPARE(used, 2);
        QVERIFY(report["seconds"].toDouble() > 0.0);
        QVERIFY(report["merge_seconds"].toDouble() <= report["seconds"].toDouble());
        QVERIFY(report["peak_memory_bytes"].toDouble() > 1e6);
        QCOMPARE(report["reference"].toInt(), 2);
        QVERIFY(report["response"].isObject() && report["coverage"].isObject());
        double shares = 0.0;
        for (const auto &f : report["frames"].toArray()) {
            const QJsonObject frame = f.toObject();
            if (!frame["used"].toBool()) {
                QVERIFY(!frame.contains("share"));
                continue;
            }
            shares += frame["share"].toDouble();
            QVERIFY(std::abs(frame["difference_from_merge_ev"].toDouble()) < 0.02);
            QVERIFY(frame["difference_from_merge_sigma"].toDouble() < 3.0);
        }
        QVERIFY(std::abs(shares - 1.0) < 0.02); // kept in 1/255
    }
    void aKilledMergeLeavesNothing()
    {
        // Killed while the file is being written: as soon as the process holds one open without a name.
        QDir folder(at("killed"));
        QVERIFY(folder.mkpath("."));
        const QStringList frames =
            test::writeBracket(folder.path(), test::rampScene(1500, 1500, 0.002, 10).view(), {0, -2, 2}, 1.0);
        int ended = 0;
        for (const bool politely : {false, true, false, true}) {
            QProcess process;
            process.start(YOLK_CLI, QStringList{"merge"} + frames + QStringList{"-o", folder.filePath("x.exr")});
            QVERIFY(process.waitForStarted());
            waitUntilWriting(process, folder);
            politely ? process.terminate() : process.kill();
            QVERIFY(process.waitForFinished());
            const bool whole = folder.exists("x.exr"); // it was faster
            ended += !whole;
            if (whole) {
                QCOMPARE(readExr(folder.filePath("x.exr").toStdString()).rgb.width(), 1500);
                QVERIFY(folder.remove("x.exr"));
            }
            QCOMPARE(folder.entryList(QDir::Files | QDir::Hidden).size(), frames.size());
        }
        QVERIFY(ended > 0);
    }
    void developWritesPictures()
    {
        QCOMPARE(run(develop({"-o", at("d.tif"), "--profile", "rec2020"})).code, 0);
        QCOMPARE(
            run(develop({"-o", at("d.jpg"), "--size", "60x60", "--set", "tone.exposure=2", "--method", "plain"})).code,
            0);
        QCOMPARE(cv::imread(at("d.tif").toStdString(), cv::IMREAD_UNCHANGED).depth(), CV_16U);
        QCOMPARE(cv::imread(at("d.jpg").toStdString()).size(), cv::Size(60, 45));
        QCOMPARE(readMetadata(at("d.jpg").toStdString()).camera, std::string("Coop Pinhole 1"));
    }
    void methodsAndPresetsDiffer()
    {
        QHash<QString, double> greens;
        const auto developed = [&](const QString &name, const QStringList &options) {
            const QString path = at(qPrintable("m-" + name + ".tif"));
            QCOMPARE(run(develop(QStringList{"-o", path, "--size", "60x60"} + options)).code, 0);
            const cv::Mat picture = cv::imread(path.toStdString(), cv::IMREAD_UNCHANGED);
            greens[name] = cv::mean(picture)[1];
            if (name == "ink") { // black and white
                cv::Scalar mean = cv::mean(picture);
                QVERIFY(std::abs(mean[0] - mean[1]) < 40 && std::abs(mean[1] - mean[2]) < 40);
            }
        };
        developed("silent", {});
        for (const char *method : {"plain", "global", "local", "blend"})
            developed(method, {"--method", method});
        developed("ink", {"--preset", "Squid ink"});
        developed("bright", {"--preset", "Poached", "--set", "tone.exposure=3"});
        QCOMPARE(greens["silent"], greens["local"]);
        for (const char *a : {"plain", "global", "local", "blend"})
            for (const char *b : {"plain", "global", "local", "blend"})
                QVERIFY(a == b || greens[a] != greens[b]);
        QVERIFY(greens["bright"] > greens["local"]); // --set acts on top of the preset
    }
    void recipesAreFollowed()
    {
        Recipe recipe;
        recipe.tone.method = ToneMethod::Plain;
        recipe.tone.exposure = -12;
        test::writeBytes(at("dark.json"), QByteArray::fromStdString(recipeText(recipe)));
        QCOMPARE(run(develop({"-o", at("dark.tif"), "--recipe", at("dark.json")})).code, 0);
        const cv::Mat dark = cv::imread(at("dark.tif").toStdString(), cv::IMREAD_UNCHANGED);
        QVERIFY(cv::mean(dark)[1] < 2000);
        test::writeBytes(at("bad.json"), R"({"format": "yolk-recipe", "version": 1, "tone": {"range": 900}})");
        const Result bad = run(develop({"-o", at("x.tif"), "--recipe", at("bad.json")}));
        QCOMPARE(bad.code, 3);
        QVERIFY(errorOf(bad).contains("bad.json: tone.range = 900"));
        QCOMPARE(run(develop({"-o", at("x.tif"), "--recipe", at("none.json")})).code, 3);
        // What was used comes out again, and does the same.
        QCOMPARE(
            run(develop({"-o", at("first.tif"), "--set", "tone.contrast=15", "--save-recipe", at("used.json")})).code,
            0);
        const ReadRecipe used = parseRecipe(test::bytesOf(at("used.json")).toStdString());
        QCOMPARE(used.recipe.tone.contrast, 15.0);
        QVERIFY(used.unknown.empty());
        QCOMPARE(run(develop({"-o", at("again.tif"), "--recipe", at("used.json")})).code, 0);
        QCOMPARE(test::bytesOf(at("again.tif")), test::bytesOf(at("first.tif")));
        QCOMPARE(run(develop({"-o", at("y.tif"), "--save-recipe", at("none/used.json")})).code, 1);
    }
    void movementIsDecidedAndReported()
    {
        const QTemporaryDir dir;
        QStringList frames;
        constexpr int kLefts[]{40, 110, 180};
        for (int i = 0; i < 3; ++i) {
            Image<float> scene = test::grainyScene(260, 180, 0.25, 1.5);
            for (int c = 0; c < 3; ++c)
                for (int y = 60; y < 110; ++y)
                    std::fill_n(scene.row(c, y) + kLefts[i], 50, 0.05f);
            const demo::Shot shot = test::shotAt(i - 1.0, 1.5, uint64_t(40 + i));
            frames << dir.filePath(QStringLiteral("f%1.tif").arg(i));
            demo::writeFrame(frames.back().toStdString(), demo::expose(scene.view(), shot).view(), shot,
                             demo::FrameFile::Tiff);
        }
        const auto squares = [&](const QStringList &more) { // in which frames' places there is one
            const Result r = run(QStringList{"merge"} + frames + more +
                                 QStringList{"-o", dir.filePath("out.exr"), "--report", dir.filePath("report.json")});
            if (r.code != 0)
                qWarning("%s", qPrintable(r.err));
            const Image<float> rgb = readExr(dir.filePath("out.exr").toStdString()).rgb;
            QList<int> out;
            for (int i = 0; i < 3; ++i)
                if (rgb.row(1, 85)[kLefts[i] + 25] * 1.5f < 0.1f)
                    out << i + 1;
            return out;
        };
        const auto report = [&] {
            return QJsonDocument::fromJson(test::bytesOf(dir.filePath("report.json"))).object()["movement"].toObject();
        };
        QCOMPARE(squares({}), QList<int>{2}); // on when silent, the reference decides
        QCOMPARE(report()["keeper"].toInt(), 2);
        const QJsonObject place = report()["places"].toArray()[0].toObject();
        const double share = place["share"].toDouble(); // a square and more, at most all three
        QVERIFY2(share > 0.03 && share < 0.25, qPrintable(QString::number(share)));
        QCOMPARE(place["frame"].toInt(), 2);
        QVERIFY(place["keeper_holds"].toDouble() > 0.98 && !place["by_hand"].toBool());
        QCOMPARE(squares({"--keeper", "3"}), QList<int>{3});
        squares({"--movement", "0"});
        QVERIFY(report()["places"].toArray().isEmpty());
        // Areas come in a recipe; what it says of the keeper gives way to the line.
        Recipe recipe;
        recipe.frames.keeper = loadFrame(frames[2].toStdString())->id;
        const std::string first = loadFrame(frames[0].toStdString())->id,
                          second = loadFrame(frames[1].toStdString())->id;
        recipe.movement.regions = {{HandTask::TakeFrom, first, second, 45.0, {{65, 85}}}};
        test::writeBytes(dir.filePath("recipe.json"), QByteArray::fromStdString(recipeText(recipe)));
        QCOMPARE(squares({"--recipe", dir.filePath("recipe.json")}), (QList<int>{1, 3}));
        QCOMPARE(squares({"--recipe", dir.filePath("recipe.json"), "--keeper", "2"}), (QList<int>{1, 2}));
    }
    void wrongUsageIsTwo_data()
    {
        QTest::addColumn<QStringList>("arguments");
        QTest::newRow("nothing") << QStringList{};
        QTest::newRow("unknown command") << QStringList{"frobnicate"};
        QTest::newRow("no output") << merge({});
        QTest::newRow("unknown format") << merge({"-o", at("x.bmp")});
        QTest::newRow("unknown space") << merge({"-o", at("x.exr"), "--space", "acid"});
        QTest::newRow("hdr with other space") << merge({"-o", at("x.hdr"), "--space", "ap1"});
        QTest::newRow("frame number") << merge({"-o", at("x.exr"), "--reference", "4"});
        QTest::newRow("not a number") << merge({"-o", at("x.exr"), "--reference", "two"});
        QTest::newRow("exclude all") << merge({"-o", at("x.exr"), "--exclude", "1,2,3"});
        QTest::newRow("keeper number") << merge({"-o", at("x.exr"), "--keeper", "4"});
        QTest::newRow("keeper word") << merge({"-o", at("x.exr"), "--keeper", "best"});
        QTest::newRow("movement range") << merge({"-o", at("x.exr"), "--movement", "101"});
        QTest::newRow("movement word") << merge({"-o", at("x.exr"), "--movement", "much"});
        QTest::newRow("influence") << merge({"-o", at("x.exr"), "--influence", "1=3"});
        QTest::newRow("setting") << develop({"-o", at("x.tif"), "--set", "tone.rnage=1"});
        QTest::newRow("setting range") << develop({"-o", at("x.tif"), "--set", "tone.range=101"});
        QTest::newRow("size") << develop({"-o", at("x.tif"), "--size", "60"});
        QTest::newRow("preset") << develop({"-o", at("x.tif"), "--preset", "Raw"});
        QTest::newRow("method") << develop({"-o", at("x.tif"), "--method", "other"});
    }
    void wrongUsageIsTwo()
    {
        QFETCH(QStringList, arguments);
        const Result r = run(arguments);
        QCOMPARE(r.code, 2);
        QCOMPARE(r.err.trimmed().count('\n'), 0); // one line
        QVERIFY(!QFile::exists(at("x.exr")) && !QFile::exists(at("x.tif")) && !QFile::exists(at("x.hdr")));
    }
    void handHeldFramesAreAligned() // three frames that look 12 pixels apart, one turned by its tag, one of elsewhere
    {
        ThreadRunner runner(2);
        ExecContext ctx(runner);
        const Image<float> wide = test::wideScene(480, 360, 2, ctx);
        const QTemporaryDir dir;
        QStringList frames;
        const auto add = [&](const Image<float> &scene, double ev, double right) {
            const Transform t{Matrix3{{1, 0, right, 0, 1, 0, 0, 0, 1}}};
            const demo::Shot shot = test::shotAt(ev, 1.5, 40 + uint64_t(frames.size()));
            frames << dir.filePath(QStringLiteral("frame%1.jpg").arg(frames.size() + 1));
            const Image<float> seen = test::seenUnder(scene, t, 480, 360, ctx);
            demo::writeFrame(frames.back().toStdString(), demo::expose(seen.view(), shot).view(), shot,
                             demo::FrameFile::Jpeg);
        };
        add(wide, -2, 12.0);
        add(wide, 0, 0.0);
        add(wide, 2, -9.0);
        const auto report = [&](const QStringList &names, const QStringList &more) {
            const Result r = run(QStringList{"merge"} + names + more +
                                 QStringList{"-o", dir.filePath("out.exr"), "--report", dir.filePath("report.json")});
            if (r.code != 0)
                qWarning("%s", qPrintable(r.err));
            return std::pair(r, QJsonDocument::fromJson(test::bytesOf(dir.filePath("report.json"))).object());
        };
        const auto frameOf = [](const QJsonObject &said, int given) {
            for (const QJsonValue &f : said["frames"].toArray())
                if (f["given"].toInt() == given)
                    return f.toObject();
            return QJsonObject();
        };
        const auto motionOf = [&](const QJsonObject &said, int given) {
            return frameOf(said, given).value("alignment").toObject();
        };
        const auto [merged, said] = report(frames, {});
        QCOMPARE(merged.code, 0);
        for (const auto &[given, right] : {std::pair(1, 12.0), std::pair(3, -9.0)}) { // the goal for JPEG
            const double found = motionOf(said, given).value("right").toDouble();
            QVERIFY2(std::abs(found - right) < 0.2, qPrintable(QString::number(found)));
        }
        QVERIFY(motionOf(said, 1).value("found").toBool());
        QVERIFY(motionOf(said, 1).value("residual").toDouble() < 1.0);
        QCOMPARE(readExr(dir.filePath("out.exr").toStdString()).rgb.width(), 480);

        const auto [asShot, without] = report(frames, {"--no-align"});
        QCOMPARE(motionOf(without, 1).value("found").toBool(), false);
        QCOMPARE(motionOf(without, 1).value("right").toDouble(), 0.0);

        const auto [moved, third] = report(frames, {"--reference", "3"});
        QVERIFY(std::abs(motionOf(third, 1).value("right").toDouble() - 21.0) < 0.4);

        const auto [cropped, area] = report(frames, {"--crop"}); // 12 on the right and 9 on the left are missing
        const int width = area.value("area").toObject().value("width").toInt();
        QVERIFY2(width >= 456 && width <= 459, qPrintable(QString::number(width)));
        QCOMPARE(readExr(dir.filePath("out.exr").toStdString()).rgb.width(), width);

        // A sensor that was pointed down writes the wrong tag: the pixels lie as in the others, the tag turns them.
        auto tagged = Exiv2::ImageFactory::open(frames[0].toStdString());
        tagged->readMetadata();
        tagged->exifData()["Exif.Image.Orientation"] = uint16_t(6);
        tagged->writeMetadata();
        const auto [turned, back] = report(frames, {});
        QCOMPARE(turned.code, 0);
        QVERIFY2(turned.err.contains("is turned by 90 degrees"), qPrintable(turned.err));
        QVERIFY(motionOf(back, 1).value("found").toBool());
        QVERIFY(std::abs(std::abs(motionOf(back, 1).value("clockwise_degrees").toDouble()) - 90.0) < 0.1);

        add(test::wideScene(480, 360, 5, ctx), 1, 0.0);
        const auto [odd, left] = report(frames.mid(1), {});
        QCOMPARE(odd.code, 0);
        QVERIFY2(odd.err.contains("frame4.jpg: cannot be aligned"), qPrintable(odd.err));
        QCOMPARE(frameOf(left, 3).value("used").toBool(), false);
        QCOMPARE(frameOf(left, 2).value("used").toBool(), true);
    }
    void framesThatCannotBeUsedAreThree_data()
    {
        QTest::addColumn<QString>("bad");
        QTest::addColumn<QString>("reason");
        test::writeBytes(at("text.jpg"), "not a picture");
        test::writeBytes(at("empty.jpg"), "");
        const QByteArray whole = test::bytesOf(frames_[0]);
        test::writeBytes(at("cut.jpg"), whole.first(whole.size() * 2 / 3));
        QDir().mkpath(at("other"));
        const QString other =
            test::writeBracket(at("other"), test::rampScene(64, 90, 0.01, 5).view(), {1}, 1.0).front();
        QTest::newRow("text") << at("text.jpg") << "is not a picture";
        QTest::newRow("empty") << at("empty.jpg") << "the file is empty";
        QTest::newRow("cut") << at("cut.jpg") << "ends too early";
        QTest::newRow("missing") << at("missing.jpg") << "there is no such file";
        QTest::newRow("folder") << dir_.path() << "is a folder";
        QTest::newRow("size") << other << "64 x 90 pixels, the others 120 x 90: cannot be used";
    }
    void framesThatCannotBeUsedAreThree()
    {
        QFETCH(QString, bad);
        QFETCH(QString, reason);
        for (const QStringList &arguments : {merge({bad, "-o", at("y.exr")}), develop({bad, "-o", at("y.jpg")})}) {
            const Result r = run(arguments);
            QCOMPARE(r.code, 3);
            QVERIFY2(errorOf(r).contains(bad) && errorOf(r).contains(reason), qPrintable(r.err));
        }
        QVERIFY(!QFile::exists(at("y.exr")) && !QFile::exists(at("y.jpg")));
    }
    void oddSetsWorkWithAWarning()
    {
        QDir().mkpath(at("bare"));
        const QStringList bare =
            test::writeBracket(at("bare"), test::rampScene(120, 90, 0.002, 10).view(), {0, 2}, 1.0);
        for (const QString &p : bare)
            cv::imwrite(p.toStdString(), cv::imread(p.toStdString()));
        const Result none = run(QStringList{"merge"} + bare + QStringList{"-o", at("bare.exr")});
        QCOMPARE(none.code, 0);
        QVERIFY(none.err.contains("warning") && none.err.contains("no exposure data"));
        const Result single = run({"merge", frames_[0], "-o", at("single.exr")});
        QCOMPARE(single.code, 0);
        QVERIFY(single.err.contains("one frame"));
        const QString copy = at("copy.jpg");
        QFile::copy(frames_[0], copy);
        const Result equal = run({"merge", frames_[0], copy, "-o", at("equal.exr")});
        QCOMPARE(equal.code, 0);
        QVERIFY(equal.err.contains("same exposure"));
    }
    void unwritableOutputIsOne()
    {
        const Result folder = run(merge({"-o", at("no/such/place/a.exr")}));
        QCOMPARE(folder.code, 1);
        QVERIFY(errorOf(folder).contains("the folder does not exist"));
        QDir().mkpath(at("taken.tif"));
        QCOMPARE(run(develop({"-o", at("taken.tif")})).code, 1);
    }
    void fullDiskIsOneAndLeavesNothing_data()
    {
        QTest::addColumn<QString>("name");
        for (const char *name : {"f.exr", "f.hdr", "f.dng", "f.tif", "f.jpg", "f.png", "f.avif", "f.jxl", "hdr.jpg"})
            QTest::newRow(name) << name;
    }
    void fullDiskIsOneAndLeavesNothing()
    {
        // A limit on the size of files stands in for a full disk: writing fails the same way.
        QFETCH(QString, name);
        QDir folder(at("full"));
        folder.mkpath(".");
        const QString out = folder.filePath(name);
        const bool radiance = name.endsWith("exr") || name.endsWith("hdr") || name.endsWith("dng");
        const QStringList light{"--set", name.startsWith("hdr") ? "export.light=hdr" : "export.light=standard", "--set",
                                "export.quality=100"}; // so that no file is that small
        const Result r = run(radiance ? merge({"-o", out}) : develop(QStringList{"-o", out} + light), [] {
            const rlimit limit{2000, 2000};
            setrlimit(RLIMIT_FSIZE, &limit);
        });
        QVERIFY2(r.code == 1, qPrintable(QString::number(r.code) + r.err));
        QVERIFY2(errorOf(r).contains(out), qPrintable(r.err));
        QCOMPARE(folder.entryList(QDir::Files | QDir::Hidden), QStringList());
    }
    void interruptLeavesNothing()
    {
        QDir folder(at("interrupt"));
        folder.mkpath(".");
        QDir().mkpath(at("large"));
        const QStringList large =
            test::writeBracket(at("large"), test::rampScene(2400, 1600, 0.002, 10).view(), {0, -2, 2}, 1.0);
        QProcess process;
        process.start(QStringLiteral(YOLK_CLI),
                      QStringList{"develop"} + large + QStringList{"-o", folder.filePath("x.tif")});
        QVERIFY(process.waitForStarted());
        waitUntilWriting(process, folder);
        QCOMPARE(process.state(), QProcess::Running);
        kill(pid_t(process.processId()), SIGINT);
        QVERIFY(process.waitForFinished(20000));
        QCOMPARE(process.exitCode(), 1);
        QCOMPARE(folder.entryList(QDir::Files | QDir::Hidden), QStringList());
    }
};

QTEST_GUILESS_MAIN(TestCli)
#include "tst_cli.moc"
