// What a handler throws is said and costs nothing that is open; the list of keys.
#include "application.h"
#include "canvas/message_strip.h"
#include "keys_list.h"
#include "opened_window.h"

#include "base/errors.h"
#include "support/synthetic.h"

#include <QLabel>
#include <QLineEdit>
#include <QMenuBar>
#include <QSignalSpy>
#include <QTreeWidget>

using namespace yolk;
using namespace yolk::app;

namespace {

class Thrower : public QObject {
public:
    bool event(QEvent *event) override
    {
        if (event->type() == QEvent::User)
            throw ArgumentError("frame 3 is no frame");
        return QObject::event(event);
    }
};

} // namespace

class TestApplication : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void exceptionsOfHandlersAreSaid()
    {
        test::OpenedWindow window("henhouse-tripod");
        auto *application = qobject_cast<Application *>(qApp);
        QVERIFY(application);
        QSignalSpy said(&window.document(), &Document::failed);
        Thrower thrower;
        QCoreApplication::postEvent(&thrower, new QEvent(QEvent::User));
        QCoreApplication::processEvents();
        QCOMPARE(said.size(), 1);
        QVERIFY(said[0][0].toString().contains("frame 3 is no frame"));
        QVERIFY(window.document().isOpen());
    }
    void removingWhatTheReferenceNeedsFallsBack()
    {
        // B has another size; of A1, A2 and B the reference A1 cannot stay when A2 goes: two sizes, one frame each.
        QTemporaryDir dir;
        QStringList paths;
        const auto write = [&](const char *name, int width, double ev) {
            const demo::Shot shot = test::shotAt(ev, 1.0, 5);
            paths << dir.filePath(name);
            demo::writeFrame(paths.back().toStdString(),
                             demo::expose(test::grainyScene(width, 160, 0.01, 7).view(), shot).view(), shot,
                             demo::FrameFile::Jpeg);
        };
        write("b.jpg", 200, 0.0);
        write("a1.jpg", 240, -1.0);
        write("a2.jpg", 240, 1.0);
        test::OpenedWindow window("henhouse-tripod");
        Document &document = window.document();
        document.open({paths[0]});
        window.settle();
        document.addFrames({paths[1], paths[2]});
        window.settle();
        const auto indexOf = [&](const char *name) {
            for (size_t i = 0; i < document.bracket().frames.size(); ++i)
                if (document.bracket().frames[i].frame->name == name)
                    return i;
            return size_t(99);
        };
        document.setReference(indexOf("a1.jpg"));
        window.settle();
        QCOMPARE(document.bracket().frames[document.bracket().reference].frame->name, std::string("a1.jpg"));
        document.removeFrame(indexOf("a2.jpg"));
        window.settle();
        QCOMPARE(document.bracket().frames.size(), size_t(2));
        QVERIFY(document.bracket().frames[document.bracket().reference].usable);
        QVERIFY(std::ranges::any_of(document.bracket().notices, [](const std::string &n) {
            return n.find("cannot be the reference frame") != std::string::npos;
        }));
        document.undo();
        window.settle();
        QCOMPARE(document.bracket().frames.size(), size_t(3));
        QCOMPARE(document.bracket().frames[document.bracket().reference].frame->name, std::string("a1.jpg"));
    }
    void listOfKeysIsSearchedAndFits()
    {
        test::OpenedWindow window("henhouse-tripod");
        KeysList keys(window->menuBar(), &*window);
        keys.open(); // as the command does, so that keys of the window behind do nothing
        QVERIFY(keys.height() <= 720 && keys.height() <= window->height());
        auto *list = keys.findChild<QTreeWidget *>();
        const auto shown = [&] {
            QStringList out;
            for (int i = 0; i < list->topLevelItemCount(); ++i)
                for (int k = 0; k < list->topLevelItem(i)->childCount(); ++k)
                    if (!list->topLevelItem(i)->isHidden() && !list->topLevelItem(i)->child(k)->isHidden())
                        out << list->topLevelItem(i)->child(k)->text(0);
            return out;
        };
        QVERIFY(list->topLevelItemCount() >= 6);
        const qsizetype all = shown().size();
        QVERIFY(all > 30);
        QTest::keyClicks(keys.findChild<QLineEdit *>(), "undo");
        QVERIFY(!shown().isEmpty() && shown().size() < all);
        for (const QString &line : shown())
            QVERIFY(line.contains("undo", Qt::CaseInsensitive));
        QTest::keyClick(&keys, Qt::Key_Escape);
        QVERIFY(!keys.isVisible());
    }
};

int main(int argc, char **argv)
{
    Application application(argc, argv);
    TestApplication test;
    return QTest::qExec(&test, argc, argv);
}
#include "tst_application.moc"
