// yolk: the window. Files and folders named on the command line are opened.
#include "application.h"
#include "base/memory.h"
#include "document/demo_sets.h"
#include "document/document.h"
#include "keeping/preferences_dialog.h"
#include "main_window.h"
#include "theme/theme.h"

#include <QCommandLineParser>
#include <QFileInfo>

int main(int argc, char **argv)
{
    yolk::keepFreedMemory();
    yolk::app::Application application(argc, argv);
    QApplication::setApplicationName(QStringLiteral("yolk"));
    QApplication::setOrganizationName(QStringLiteral("yolk"));
    QApplication::setApplicationVersion(QStringLiteral(YOLK_VERSION));
    QCommandLineParser parser;
    parser.setApplicationDescription(QStringLiteral("Merges bracketed exposures and develops them."));
    parser.addHelpOption();
    parser.addVersionOption();
    const QCommandLineOption demo(QStringLiteral("demo"), QStringLiteral("Open the demo bracket."));
    parser.addOption(demo);
    const QCommandLineOption back(
        QStringLiteral("return"),
        QStringLiteral("For another program: \"Done\" writes the finished picture to FILE and "
                       "ends with 0; a window that is closed otherwise ends with 1."),
        QStringLiteral("FILE"));
    parser.addOption(back);
    parser.addPositionalArgument(QStringLiteral("frames"), QStringLiteral("Files of one scene, or a folder."),
                                 QStringLiteral("[frames...]"));
    parser.process(application);
    yolk::app::Theme::instance().install();
    yolk::app::MainWindow window;
    window.document()->setKeepsWork(true);
    yolk::app::PreferencesDialog::apply();
    window.show();
    const std::vector<yolk::app::DemoSet> sets = yolk::app::demoSets();
    const QStringList wanted = parser.isSet(demo) && !sets.empty() ? sets.front().frames : parser.positionalArguments();
    if (wanted.isEmpty())
        window.offerCutOff();
    window.offerRunCutOff();
    window.open(wanted);
    if (!parser.isSet(back))
        return QApplication::exec();
    window.returnTo(QFileInfo(parser.value(back)).absoluteFilePath());
    QApplication::setQuitOnLastWindowClosed(false);
    QObject::connect(&application, &QApplication::lastWindowClosed, &application, [] { QApplication::exit(1); });
    return QApplication::exec();
}
