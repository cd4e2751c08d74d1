// The Finish step in the real window: every control changes the pixels it names, neutral is as if it had never been.
#include "opened_window.h"

#include "recipe/sections.h"
#include "steps/detail_pane.h"
#include "steps/finish_panel.h"
#include "tasting/effect_strip.h"
#include "tasting/tasting_tiles.h"
#include "widgets/value_slider.h"

#include <QCheckBox>
#include <QTest>

using namespace yolk;
using namespace yolk::app;

namespace {

double lightness(const QImage &image, const QRect &area)
{
    double sum = 0.0;
    for (int y = area.top(); y <= area.bottom(); ++y)
        for (int x = area.left(); x <= area.right(); ++x)
            sum += qGreen(image.pixel(x, y));
    return sum / (double(area.width()) * area.height());
}

/// Mean difference of neighbours.
double roughness(const QImage &image)
{
    double sum = 0.0;
    for (int y = 0; y < image.height(); ++y)
        for (int x = 1; x < image.width(); ++x)
            sum += std::abs(qGreen(image.pixel(x, y)) - qGreen(image.pixel(x - 1, y)));
    return sum / (double(image.width()) * image.height());
}

double warmth(const QImage &image, const QRect &area)
{
    double sum = 0.0;
    for (int y = area.top(); y <= area.bottom(); ++y)
        for (int x = area.left(); x <= area.right(); ++x)
            sum += qRed(image.pixel(x, y)) - qBlue(image.pixel(x, y));
    return sum / (double(area.width()) * area.height());
}

} // namespace

class TestFinishStep : public QObject {
    Q_OBJECT
    std::unique_ptr<test::OpenedWindow> window_;

    MainWindow &window() const { return **window_; }
    Document &document() const { return window_->document(); }
    FinishPanel &panel() const { return *window().finishPanel(); }
    QImage picture() const
    {
        window_->settle();
        return window_->canvas().picture().image;
    }
    void slide(const char *path, double value) const
    {
        ValueSlider *slider = panel().controls().slider(QLatin1String(path));
        QVERIFY(slider);
        Q_EMIT slider->changed(value, {});
    }
    static QRect corner(const QImage &image) { return {0, 0, image.width() / 12, image.height() / 12}; }
    static QRect middle(const QImage &image)
    {
        return {image.width() * 5 / 12, image.height() * 5 / 12, image.width() / 6, image.height() / 6};
    }

private Q_SLOTS:
    void initTestCase()
    {
        window_ = std::make_unique<test::OpenedWindow>(QStringLiteral("henhouse-tripod"));
        window().goTo(Step::Finish);
    }
    void cleanupTestCase() { window_.reset(); }
    void init()
    {
        document().startAgain();
        window_->canvas().fit();
        window_->settle();
    }
    void everyControlChangesThePicture_data()
    {
        QTest::addColumn<QString>("path");
        QTest::addColumn<double>("end");
        QTest::addColumn<bool>("fine"); // seen at 100 % only
        QTest::newRow("noise") << "noise.luminance" << 100.0 << true;
        QTest::newRow("colour noise") << "noise.colour" << 100.0 << true;
        QTest::newRow("haze") << "haze.strength" << 80.0 << false;
        QTest::newRow("more haze") << "haze.strength" << -80.0 << false;
        QTest::newRow("sharpness") << "sharpness.strength" << 80.0 << true;
        QTest::newRow("glow") << "glow.amount" << 80.0 << false;
        QTest::newRow("mist") << "glow.mist" << 80.0 << false;
        QTest::newRow("deep sky") << "sky.deep" << 100.0 << false;
        QTest::newRow("warm light") << "warm_light.warm" << 80.0 << false;
        QTest::newRow("vignette") << "vignette.amount" << -1.5 << false;
        QTest::newRow("grain") << "grain.amount" << 80.0 << false;
    }
    void everyControlChangesThePicture()
    {
        QFETCH(QString, path);
        QFETCH(double, end);
        QFETCH(bool, fine);
        const QByteArray name = path.toLatin1();
        const QImage far = picture();
        slide(name.constData(), end);
        const QImage changed = picture();
        QCOMPARE(changed == far, fine); // tools of the finest detail show where it does
        slide(name.constData(), 0.0);
        QCOMPARE(picture(), far);
        if (!fine)
            return;
        QVERIFY(panel().note().isEmpty());
        slide(name.constData(), end);
        QVERIFY2(!panel().note().isEmpty(), "that it cannot be seen is said");
        window_->canvas().zoomTo(1.0);
        QVERIFY(panel().note().isEmpty());
        slide(name.constData(), 0.0);
        const QImage near = picture();
        slide(name.constData(), end);
        QVERIFY(picture() != near);
        slide(name.constData(), 0.0);
        QCOMPARE(picture(), near);
    }
    void theyDoWhatTheySay()
    {
        const QImage before = picture();
        slide("vignette.amount", -2.0);
        slide("vignette.centre", 0.5);
        QImage now = picture();
        QVERIFY(lightness(now, corner(now)) < 0.75 * lightness(before, corner(before)));
        QVERIFY(lightness(now, middle(now)) > 1.05 * lightness(before, middle(before)));
        // It follows the crop.
        Recipe cropped = document().recipe();
        cropped.geometry.crop = CropMode::Whole;
        cropped.geometry.right = 0.5;
        document().setRecipe(cropped, QStringLiteral("crop"));
        now = picture();
        Recipe without = cropped;
        settingsOf<Vignette>(without.adjustments) = {};
        document().setRecipe(without, QStringLiteral("vignette"));
        const QImage plain = picture();
        const QRect right(now.width() * 11 / 12, 0, now.width() / 12, now.height() / 12);
        QVERIFY(lightness(now, right) < 0.75 * lightness(plain, right));
        document().startAgain();
        Recipe whole = document().recipe();
        whole.geometry.right = 1.0;
        document().setRecipe(whole, QStringLiteral("crop"));
        const QImage again = picture();
        slide("warm_light.warm", 100);
        now = picture();
        QVERIFY(warmth(now, {0, 0, now.width(), now.height()}) >
                warmth(again, {0, 0, now.width(), now.height()}) + 2.0);
        document().startAgain();
        slide("grain.amount", 100);
        QVERIFY(roughness(picture()) > 1.1 * roughness(again));
        document().startAgain();
        window_->canvas().zoomTo(1.0);
        const double fine = roughness(picture());
        slide("sharpness.strength", 100);
        QVERIFY(roughness(picture()) > 1.05 * fine);
        slide("sharpness.strength", 0);
        slide("noise.luminance", 100);
        slide("noise.detail", 0);
        QVERIFY(roughness(picture()) < fine);
    }
    void aPartIsShownAtFullSize()
    {
        DetailPane &pane = *panel().detail();
        constexpr int kLong = 10000; // its lane is not one of those that the status line shows
        QVERIFY(pane.isVisible());
        window_->settle();
        QTest::qWait(1000);
        const QImage before = pane.image();
        QCOMPARE(before.deviceIndependentSize().toSize(), pane.size());
        // True pixels: the canvas shows the same ones at 100 %.
        window_->canvas().zoomTo(1.0);
        window_->settle();
        QVERIFY2(!pane.isVisible(), "the canvas shows more of it");
        window_->canvas().fit();
        // What does not show on the canvas shows here.
        const QImage far = picture();
        slide("noise.luminance", 100);
        slide("noise.detail", 0);
        QTRY_VERIFY_WITH_TIMEOUT(roughness(pane.image()) < 0.95 * roughness(before), kLong);
        QCOMPARE(picture(), far);
        document().startAgain();
        QTRY_COMPARE_WITH_TIMEOUT(pane.image(), before, kLong);
        // It goes where the pointer rests, and stays when that only passes.
        const QPoint corner(window_->canvas().width() / 3, window_->canvas().height() / 3);
        QTest::mouseMove(&window_->canvas(), corner);
        QTest::qWait(500);
        const QPointF there = window_->canvas().pictureAt(corner);
        QVERIFY(std::hypot(pane.place().x() - there.x(), pane.place().y() - there.y()) < 3.0);
        QTRY_VERIFY_WITH_TIMEOUT(pane.image() != before, kLong);
        QTest::mouseMove(&window_->canvas(), corner + QPoint(150, 0));
        QTest::mouseMove(&pane, QPoint(5, 5));
        QTest::qWait(500);
        QVERIFY(std::hypot(pane.place().x() - there.x(), pane.place().y() - there.y()) < 3.0);
        // By keys and by hand.
        pane.setFocus();
        const QPointF at = pane.place();
        QTest::keyClick(&pane, Qt::Key_Right);
        QCOMPARE(pane.place(), at + QPointF(40, 0));
        QTest::mousePress(&pane, Qt::LeftButton, {}, QPoint(100, 50));
        QTest::mouseMove(&pane, QPoint(60, 50));
        QTest::mouseRelease(&pane, Qt::LeftButton, {}, QPoint(60, 50));
        QCOMPARE(pane.place(), at + QPointF(80, 0));
    }
    void aStripShowsWhatASettingDoes()
    {
        EffectStrip &strip = *window().effects();
        const auto waitForPictures = [&] {
            for (int i = 0; i < 1000 && !(strip.isVisible() && strip.tiles()->isReady()); ++i)
                QTest::qWait(10);
            return strip.isVisible() && strip.tiles()->isReady();
        };
        const auto focus = [&](const char *path) {
            panel().controls().slider(QLatin1String(path))->track()->setFocus();
        };
        QVERIFY(!strip.isVisible());
        focus("glow.mist");
        QVERIFY(waitForPictures());
        QCOMPARE(strip.tiles()->count(), 5);
        QCOMPARE(strip.tiles()->tiles()[4].name, QStringLiteral("100"));
        QCOMPARE(strip.tiles()->current(), 0);
        const auto lightest = [](const QImage &image) { return lightness(image, image.rect()); };
        for (int i = 1; i < 5; ++i)
            QVERIFY(strip.tiles()->tiles()[i].picture != strip.tiles()->tiles()[i - 1].picture);
        // The setting itself moves; what the pictures were made from does not.
        const QImage third = strip.tiles()->tiles()[2].picture;
        QTest::mouseClick(strip.tiles()->viewport(), Qt::LeftButton, {}, strip.tiles()->tileRect(3).center().toPoint());
        QCOMPARE(settingsOf<Glow>(document().recipe().adjustments).mist, 75.0);
        QCOMPARE(strip.tiles()->current(), 3);
        window_->settle();
        QCOMPARE(strip.tiles()->tiles()[2].picture, third);
        document().undo();
        QCOMPARE(settingsOf<Glow>(document().recipe().adjustments).mist, 0.0);
        // Another setting changes them all.
        slide("vignette.amount", -3.0);
        QVERIFY(waitForPictures());
        for (int i = 0; i < 500 && strip.tiles()->tiles()[2].picture == third; ++i)
            QTest::qWait(10);
        QVERIFY(lightest(strip.tiles()->tiles()[2].picture) < lightest(third));
        slide("vignette.amount", 0.0);
        // Of what works on single pixels a part is shown at full size.
        focus("sharpness.strength");
        for (int i = 0; i < 500 && strip.tiles()->tiles()[4].picture.size() == third.size(); ++i)
            QTest::qWait(10);
        QVERIFY(waitForPictures());
        window_->settle();
        QTest::qWait(300);
        QVERIFY(roughness(strip.tiles()->tiles()[4].picture) > 1.05 * roughness(strip.tiles()->tiles()[0].picture));
        // Both ways: from most of one to most of the other.
        focus("haze.strength");
        QVERIFY(waitForPictures());
        QCOMPARE(strip.valueOf(0), -100.0);
        QCOMPARE(strip.tiles()->current(), 2);
        // A preference, and of this step only.
        QTest::keySequence(&window(), QKeySequence(QStringLiteral("Shift+E")));
        QVERIFY(!strip.isVisible());
        focus("glow.mist");
        QVERIFY(!strip.isVisible());
        QTest::keySequence(&window(), QKeySequence(QStringLiteral("Shift+E")));
        QVERIFY(strip.isVisible());
        window().goTo(Step::Tone);
        QVERIFY(!strip.isVisible());
        window().goTo(Step::Finish);
    }
    void groupsSwitchOffAndControlsShowWhatActs()
    {
        const QImage before = picture();
        QVERIFY(!panel().controls().slider(QStringLiteral("vignette.size"))->isVisible());
        slide("vignette.amount", -2.0);
        QVERIFY(panel().controls().slider(QStringLiteral("vignette.size"))->isVisible());
        const QImage dark = picture();
        document().setGroupOn(QStringLiteral("vignette"), false);
        QCOMPARE(picture(), before);
        document().setGroupOn(QStringLiteral("vignette"), true);
        QCOMPARE(picture(), dark);
        document().undo();
        document().undo();
        document().undo();
        QCOMPARE(picture(), before);
    }
};

QTEST_MAIN(TestFinishStep)
#include "tst_finish_step.moc"
