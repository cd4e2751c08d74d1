// The colour step in the real window: every control changes the pixels it names, and its group switches it off.
#include "opened_window.h"

#include "colour/oklab.h"
#include "colour/transfer.h"
#include "recipe/sections.h"
#include "steps/colour_panel.h"
#include "steps/curve_group.h"
#include "steps/hues_group.h"
#include "steps/lights_group.h"
#include "widgets/choice_row.h"
#include "widgets/curve_editor.h"
#include "widgets/hue_ring.h"
#include "widgets/value_slider.h"

#include <QCheckBox>
#include <QListWidget>
#include <QPushButton>
#include <QSignalSpy>
#include <QTest>
#include <QToolButton>

#include <cmath>
#include <numbers>

using namespace yolk;
using namespace yolk::app;

namespace {

Oklab labOf(QRgb p)
{
    static const OklabSpace space(kRec709);
    return space.fromRgb({decodeSrgb(qRed(p) / 255.0), decodeSrgb(qGreen(p) / 255.0), decodeSrgb(qBlue(p) / 255.0)});
}

double hueOf(const Oklab &lab)
{
    const double degrees = std::atan2(lab.b, lab.a) * 180.0 / std::numbers::pi;
    return degrees < 0.0 ? degrees + 360.0 : degrees;
}

Oklab meanOf(const QImage &image)
{
    Oklab sum{};
    for (int y = 0; y < image.height(); ++y)
        for (int x = 0; x < image.width(); ++x) {
            const Oklab lab = labOf(image.pixel(x, y));
            sum = {sum.L + lab.L, sum.a + lab.a, sum.b + lab.b};
        }
    const double n = double(image.width()) * image.height();
    return {sum.L / n, sum.a / n, sum.b / n};
}

double colourfulness(const QImage &image)
{
    double sum = 0.0;
    for (int y = 0; y < image.height(); ++y)
        for (int x = 0; x < image.width(); ++x)
            sum += chromaOf(labOf(image.pixel(x, y)));
    return sum / (double(image.width()) * image.height());
}

} // namespace

class TestColourStep : public QObject {
    Q_OBJECT
    std::unique_ptr<test::OpenedWindow> window_;

    MainWindow &window() const { return **window_; }
    Document &document() const { return window_->document(); }
    ColourPanel &panel() const { return *window().colourPanel(); }
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
    const std::vector<HueMark> &marks() const { return settingsOf<HueMarks>(document().recipe().adjustments).marks; }
    /// The mean of a small area round a place of the picture.
    Oklab colourAt(const QImage &image, const QPointF &place) const
    {
        const QRectF region = window_->canvas().picture().region;
        constexpr int kReach = 6;
        const QPoint at(int((place.x() - region.left()) * image.width() / region.width()),
                        int((place.y() - region.top()) * image.height() / region.height()));
        return meanOf(image.copy(QRect(at - QPoint(kReach, kReach), at + QPoint(kReach, kReach))));
    }
    /// The place of a picture pixel in the canvas.
    QPoint inCanvas(const QPointF &at) const { return window_->canvas().widgetAt(at).toPoint(); }

private Q_SLOTS:
    void initTestCase()
    {
        window_ = std::make_unique<test::OpenedWindow>(QStringLiteral("henhouse-tripod"));
        window().goTo(Step::Colour);
    }
    void cleanupTestCase() { window_.reset(); }
    void init()
    {
        document().startAgain();
        window_->settle();
    }

    void slidersDoWhatTheySay()
    {
        const QImage before = picture();
        slide("colour.saturation", 50);
        const QImage strong = picture();
        QVERIFY(colourfulness(strong) > 1.2 * colourfulness(before));
        slide("colour.saturation", -100);
        QVERIFY(colourfulness(picture()) < 0.01);
        slide("colour.saturation", 0);
        QCOMPARE(picture(), before); // neutral is as if it had never been
        slide("colour.vibrance", 100);
        const double vibrant = colourfulness(picture());
        QVERIFY(vibrant > 1.02 * colourfulness(before) && vibrant < colourfulness(strong));
        slide("colour.vibrance", 0);
        slide("colour.warm_cool", -100);
        QVERIFY(colourfulness(picture()) < 0.85 * colourfulness(before)); // all is warm or cool in here
        slide("colour.warm_cool", 0);
        slide("tints.lights", 100);
        slide("tints.lights_hue", 250);
        QVERIFY(meanOf(picture()).b < meanOf(before).b - 0.01);
        slide("tints.lights", 0);
        slide("tints.darks", 100);
        QVERIFY(meanOf(picture()).b < meanOf(before).b - 0.01);
    }
    void groupsSwitchOffAndReturn()
    {
        const QImage before = picture();
        slide("colour.saturation", 60);
        const QImage strong = picture();
        QCheckBox *box = nullptr;
        for (QCheckBox *b : panel().findChildren<QCheckBox *>())
            if (b->accessibleName().startsWith(QStringLiteral("Colour")))
                box = b;
        QVERIFY(box && box->isChecked());
        box->click();
        QCOMPARE(picture(), before);
        QCOMPARE(settingsOf<Saturation>(document().recipe().adjustments).saturation, 60.0); // kept
        box->click();
        QCOMPARE(picture(), strong);
        document().undo();
        QVERIFY(!box->isChecked());
        document().redo();
        QToolButton *back = nullptr;
        for (QToolButton *b : panel().findChildren<QToolButton *>())
            if (b->accessibleName().startsWith(QStringLiteral("Colour as")))
                back = b;
        QVERIFY(back && back->isVisibleTo(&panel()));
        QTest::mouseClick(back, Qt::LeftButton);
        QCOMPARE(picture(), before);
        QVERIFY(!back->isVisibleTo(&panel()));
    }
    void greensAreMendedOnTheRing()
    {
        // The meadow before the door: too yellow and too bright a green, as squeezed range leaves it.
        const QImage before = picture();
        const QRectF region = window_->canvas().picture().region;
        const auto at = [&](const QImage &image, const QPointF &place) {
            return labOf(image.pixel(int((place.x() - region.left()) * image.width() / region.width()),
                                     int((place.y() - region.top()) * image.height() / region.height())));
        };
        const auto meadow = [&](const QImage &image) {
            Oklab sum{};
            constexpr int kSide = 40;
            for (int y = 0; y < kSide; ++y)
                for (int x = 0; x < kSide; ++x) {
                    const Oklab lab = at(image, {960.0 + x, 660.0 + y});
                    sum = {sum.L + lab.L / (kSide * kSide), sum.a + lab.a / (kSide * kSide),
                           sum.b + lab.b / (kSide * kSide)};
                }
            return sum;
        };
        HuesGroup &hues = *panel().hues();
        QSignalSpy marked(&document(), &Document::hueMarked);
        QTest::mouseClick(hues.pick(), Qt::LeftButton);
        QVERIFY(hues.pick()->isChecked());
        QTest::mouseClick(&window_->canvas(), Qt::LeftButton, {}, inCanvas({980, 680}));
        QVERIFY(!hues.pick()->isChecked());
        QVERIFY(marked.wait(10000));
        QCOMPARE(marks().size(), size_t(1));
        const double hue = marks()[0].hue;
        QVERIFY2(std::abs(std::remainder(hue - hueOf(meadow(before)), 360.0)) < 15.0,
                 qPrintable(QStringLiteral("%1 %2").arg(hue).arg(hueOf(meadow(before)))));
        QCOMPARE(picture(), before); // a mark alone does nothing
        // Pulled in and turned towards green by hand on the ring.
        HueRing &ring = *hues.ring();
        HueMark wanted = marks()[0];
        wanted.turn = 15;
        wanted.saturation = -50;
        QTest::mousePress(&ring, Qt::LeftButton, {}, ring.placeOf(marks()[0]).toPoint());
        QTest::mouseMove(&ring, ring.placeOf(wanted).toPoint());
        QTest::mouseRelease(&ring, Qt::LeftButton, {}, ring.placeOf(wanted).toPoint());
        QVERIFY(std::abs(marks()[0].turn - 15.0) <= 3.0 && std::abs(marks()[0].saturation + 50.0) <= 6.0);
        Q_EMIT hues.slider(4)->changed(-20, {}); // darker
        const Oklab was = meadow(before), is = meadow(picture());
        QVERIFY(chromaOf(is) < 0.75 * chromaOf(was));
        QVERIFY(is.L < 0.92 * was.L);
        QVERIFY(std::remainder(hueOf(is) - hueOf(was), 360.0) > 4.0);
        // Keys move it on; the list says what it does; removing it brings the picture back.
        const double strength = marks()[0].saturation;
        ring.setFocus();
        QTest::keyClick(&ring, Qt::Key_Down);
        QCOMPARE(marks()[0].saturation, strength - 1.0);
        QVERIFY(hues.list()->item(0)->text().contains(QString::number(std::lround(marks()[0].hue))));
        QTest::keyClick(&ring, Qt::Key_Delete);
        QVERIFY(marks().empty());
        QCOMPARE(picture(), before);
        // A click on the ring itself sets one too.
        QTest::mouseClick(&ring, Qt::LeftButton, {}, ring.placeOfHue(200).toPoint());
        QCOMPARE(marks().size(), size_t(1));
        QVERIFY(std::abs(marks()[0].hue - 200.0) < 2.0);
    }
    void curvesAreDrawn()
    {
        const QImage before = picture();
        CurveGroup &curve = *panel().curve();
        CurveEditor &editor = *curve.editor();
        const auto points = [&] { return settingsOf<LightCurve>(document().recipe().adjustments).*curve.member(); };
        QTest::mousePress(&editor, Qt::LeftButton, {}, editor.placeOf({0.5, 0.5}).toPoint());
        QTest::mouseMove(&editor, editor.placeOf({0.5, 0.7}).toPoint());
        QTest::mouseRelease(&editor, Qt::LeftButton, {}, editor.placeOf({0.5, 0.7}).toPoint());
        QCOMPARE(points().size(), size_t(3));
        QVERIFY(std::abs(points()[1].y - 0.7) < 0.02);
        QVERIFY(meanOf(picture()).L > meanOf(before).L + 0.05);
        editor.setFocus();
        const double y = points()[1].y;
        QTest::keyClick(&editor, Qt::Key_Down);
        QVERIFY(std::abs(points()[1].y - (y - 0.01)) < 1e-9);
        QTest::keyClick(&editor, Qt::Key_Delete);
        QCOMPARE(points().size(), size_t(2));
        QCOMPARE(picture(), before);
        // Blue alone, at its dark end; a point from the picture.
        QTest::mouseClick(curve.channel()->findChildren<QToolButton *>()[3], Qt::LeftButton);
        QTest::mousePress(&editor, Qt::LeftButton, {}, editor.placeOf({0, 0}).toPoint());
        QTest::mouseMove(&editor, editor.placeOf({0, 0.3}).toPoint());
        QTest::mouseRelease(&editor, Qt::LeftButton, {}, editor.placeOf({0, 0.3}).toPoint());
        QVERIFY(meanOf(picture()).b < meanOf(before).b - 0.02);
        QSignalSpy marked(&document(), &Document::lightMarked);
        QTest::mouseClick(curve.pick(), Qt::LeftButton);
        QTest::mouseClick(&window_->canvas(), Qt::LeftButton, {}, inCanvas({980, 680}));
        QVERIFY(marked.wait(10000));
        QCOMPARE(points().size(), size_t(3));
    }
    void aPointOfAColouredPlaceStandsAtItsLuminance()
    {
        const QPointF meadow(1000, 700); // yellow green: the mean of its codes lies far below
        const QRgb seen = [&] {
            const QImage image = picture();
            const QRectF region = window_->canvas().picture().region;
            return image.pixel(int((meadow.x() - region.left()) * image.width() / region.width()),
                               int((meadow.y() - region.top()) * image.height() / region.height()));
        }();
        const double light = 0.2126 * decodeSrgb(qRed(seen) / 255.0) + 0.7152 * decodeSrgb(qGreen(seen) / 255.0) +
                             0.0722 * decodeSrgb(qBlue(seen) / 255.0); // [BT709]
        CurveGroup &curve = *panel().curve();
        QTest::mouseClick(curve.channel()->findChildren<QToolButton *>()[0], Qt::LeftButton);
        QSignalSpy marked(&document(), &Document::lightMarked);
        QTest::mouseClick(curve.pick(), Qt::LeftButton);
        QTest::mouseClick(&window_->canvas(), Qt::LeftButton, {}, inCanvas(meadow));
        QVERIFY(marked.wait(10000));
        const PointList points = settingsOf<LightCurve>(document().recipe().adjustments).luminance;
        QCOMPARE(points.size(), size_t(3));
        const double mean = (qRed(seen) + qGreen(seen) + qBlue(seen)) / 3.0 / 255.0;
        // What is picked is a mean of five by five pixels of the merge, what is seen one of the screen.
        QVERIFY2(std::abs(points[1].x - encodeSrgb(light)) < 0.06 && points[1].x > mean + 0.02,
                 qPrintable(QStringLiteral("%1: %2, mean %3").arg(points[1].x).arg(encodeSrgb(light)).arg(mean)));
    }
    void whatAControlActsOnIsHatched()
    {
        document().setOverlayColour(QColor(255, 0, 255));
        const auto hatched = [&](const QImage &image) {
            double count = 0.0;
            for (int y = 0; y < image.height(); ++y)
                for (int x = 0; x < image.width(); ++x)
                    count += (image.pixel(x, y) & 0xffffff) == 0xff00ff;
            return count / (double(image.width()) * image.height());
        };
        const QImage before = picture();
        ValueSlider *slider = panel().controls().slider("colour.saturation");
        const auto pointAt = [&](QWidget *widget, bool in) {
            QEvent leave(QEvent::Leave);
            QEnterEvent enter({5, 5}, {5, 5}, {5, 5});
            QCoreApplication::sendEvent(widget, in ? static_cast<QEvent *>(&enter) : &leave);
        };
        pointAt(slider, true);
        QCOMPARE(picture(), before); // not asked for
        pointAt(slider, false);
        QTest::keyClick(&window(), Qt::Key_H, Qt::ShiftModifier);
        pointAt(slider, true);
        const double all = hatched(picture());
        QVERIFY2(all > 0.1, qPrintable(QString::number(all))); // three of sixteen pixels of what has colour
        Q_EMIT slider->changed(10, {});                        // work is seen without it
        QCOMPARE(hatched(picture()), 0.0);
        document().undo();
        pointAt(slider, false);
        QCOMPARE(picture(), before);
        // A mark for the meadow reaches the meadow alone.
        HuesGroup &hues = *panel().hues();
        Q_EMIT hues.ring()->addAsked(120);
        QTest::mouseMove(hues.ring(), QPoint(1, 1));
        QTest::mouseMove(hues.ring(), hues.ring()->placeOf(marks()[0]).toPoint());
        const double meadow = hatched(picture());
        QVERIFY2(meadow > 0.002 && meadow < all / 3.0, qPrintable(QStringLiteral("%1 %2").arg(meadow).arg(all)));
        QTest::mouseMove(hues.ring(), QPoint(1, 1));
        QCOMPARE(hatched(picture()), 0.0);
        QTest::keyClick(&window(), Qt::Key_H, Qt::ShiftModifier);
    }
    void aLampIsMadeWhiteWhereItFalls()
    {
        // The boards of the wall, as if a lamp made them yellow; daylight is as shot, the brown hen stays one.
        const QPointF hen(343, 950), boards(486, 286);
        const auto chromaAt = [&](const QImage &image, const QPointF &place) {
            return chromaOf(colourAt(image, place));
        };
        const QImage oneLight = picture();
        QVERIFY(chromaAt(oneLight, boards) > 0.04);
        QTest::keyClick(&window_->canvas(), Qt::Key_W, Qt::ShiftModifier);
        QVERIFY(panel().lights()->pickLamp()->isChecked());
        QTest::mouseClick(&window_->canvas(), Qt::LeftButton, {}, inCanvas(boards));
        const QImage both = picture();
        QCOMPARE(document().recipe().lamp.strength, 100.0);
        QVERIFY(document().recipe().lamp.temperature < document().white().temperature);
        QVERIFY2(chromaAt(both, boards) < 0.35 * chromaAt(oneLight, boards),
                 qPrintable(QStringLiteral("%1 of %2").arg(chromaAt(both, boards)).arg(chromaAt(oneLight, boards))));
        QVERIFY(chromaAt(both, hen) > 2.0 * chromaAt(both, boards));
        // What is read under the pointer is what is shown.
        const auto probe = document().probe(boards);
        QVERIFY(probe && std::abs(probe->rgb[0] / probe->rgb[2] - 1.0f) < 0.35f);
        slide("lamp.strength", 50);
        const double half = chromaAt(picture(), boards);
        QVERIFY(half > chromaAt(both, boards) && half < chromaAt(oneLight, boards));
        // Where it falls can be looked at.
        QTest::mouseClick(panel().lights()->where(), Qt::LeftButton);
        const QImage where = picture();
        QVERIFY(document().inspection() && document().inspection()->mode == InspectMode::Lights);
        QVERIFY(colourAt(where, boards).b > 0.02); // the legend's orange
        QTest::mouseClick(panel().lights()->where(), Qt::LeftButton);
        QVERIFY(!document().inspection());
        // Off is as if it had never been; so is undone.
        QCheckBox *box = nullptr;
        for (QCheckBox *b : panel().findChildren<QCheckBox *>())
            if (b->accessibleName().startsWith(QStringLiteral("Two lights")))
                box = b;
        QVERIFY(box);
        box->click();
        QCOMPARE(picture(), oneLight);
        box->click();
        slide("lamp.strength", 0);
        QCOMPARE(picture(), oneLight);
    }
    void blackAndWhite()
    {
        QCheckBox *on = nullptr;
        for (QCheckBox *b : panel().findChildren<QCheckBox *>())
            if (b->text() == QStringLiteral("Black and white"))
                on = b;
        QVERIFY(on);
        QVERIFY(!panel().controls().slider("monochrome.red")->isVisibleTo(&panel()));
        on->click();
        const QImage grey = picture();
        QVERIFY(colourfulness(grey) < 0.005);
        QVERIFY(panel().controls().slider("monochrome.red")->isVisibleTo(&panel()));
        slide("monochrome.red", 150);
        QVERIFY(picture() != grey);
    }
    void startsAgainAlone()
    {
        const Recipe before = document().recipe();
        document().setTone(&ToneSettings::exposure, before.tone.exposure + 1.0, QStringLiteral("exposure"), {});
        slide("colour.saturation", 40);
        for (QPushButton *b : panel().findChildren<QPushButton *>())
            if (b->text() == QStringLiteral("Start again"))
                b->click();
        QCOMPARE(settingsOf<Saturation>(document().recipe().adjustments).saturation, 0.0);
        QCOMPARE(document().recipe().tone.exposure, before.tone.exposure + 1.0); // another step
    }
};

QTEST_MAIN(TestColourStep)
#include "tst_colour_step.moc"
