// What the View menu holds: how the picture is looked at, and against what.
#include "main_window.h"

#include "canvas/canvas.h"
#include "canvas/inspection_caption.h"
#include "document/monitor_profile.h"
#include "theme/theme.h"

#include <QActionGroup>
#include <QFile>
#include <QFileDialog>
#include <QFileInfo>
#include <QMenu>
#include <QSettings>

namespace yolk::app {
namespace {

constexpr qint64 kMostProfileBytes = 16 << 20; // those of monitors have some thousand

struct Surround {
    const char *key, *name;
    QColor colour;
};
const std::array kSurrounds{Surround{"black", QT_TRANSLATE_NOOP("MainWindow", "Black"), QColor(0, 0, 0)},
                            Surround{"dark", QT_TRANSLATE_NOOP("MainWindow", "Dark"), QColor(0x3a, 0x3a, 0x39)},
                            Surround{"grey", QT_TRANSLATE_NOOP("MainWindow", "Middle grey"), QColor(0x76, 0x76, 0x75)},
                            Surround{"light", QT_TRANSLATE_NOOP("MainWindow", "Light"), QColor(0xb9, 0xb8, 0xb5)},
                            Surround{"white", QT_TRANSLATE_NOOP("MainWindow", "White"), QColor(0xff, 0xff, 0xff)}};

} // namespace

void MainWindow::makeSurroundMenu(QMenu *menu)
{
    auto *group = new QActionGroup(this);
    const QString stored = QSettings().value(QStringLiteral("surround"), QStringLiteral("grey")).toString();
    canvas_->setSurround(kSurrounds[2].colour);
    for (const Surround &surround : kSurrounds) {
        const auto choose = [this, &surround] {
            canvas_->setSurround(surround.colour);
            QSettings().setValue(QStringLiteral("surround"), QLatin1String(surround.key));
        };
        QAction *action = addCommand(menu, tr(surround.name), {}, tr("What the picture is judged against."), choose);
        action->setCheckable(true);
        group->addAction(action);
        if (stored == QLatin1String(surround.key)) {
            action->setChecked(true);
            canvas_->setSurround(surround.colour);
        }
    }
}

void MainWindow::makeGuidesMenu(QMenu *menu)
{
    auto *group = new QActionGroup(this);
    const std::array names{tr("&None"), tr("&Thirds"), tr("&Golden section"), tr("&Squares"), tr("&Diagonals")};
    for (int i = 0; i < int(names.size()); ++i) {
        QAction *action = addCommand(menu, names[size_t(i)], {}, tr("Lines over the picture, for judging it."),
                                     [this, i] { canvas_->setGuides(Guides(i)); });
        action->setCheckable(true);
        action->setChecked(i == 0);
        group->addAction(action);
    }
    menu->addSeparator();
    needSet_ << addCommand(menu, tr("Ne&xt"), QKeySequence(Qt::Key_G), tr("The next kind of lines."), [group, this] {
        const int next = (int(canvas_->guides()) + 1) % int(group->actions().size());
        group->actions()[next]->trigger();
    });
}

void MainWindow::makeClippingMenu(QMenu *menu)
{
    auto *group = new QActionGroup(this);
    const std::array<std::pair<QString, std::optional<EndsOf>>, 6> kinds{
        std::pair(tr("&Not shown"), std::optional<EndsOf>()),
        std::pair(tr("&Any channel"), std::optional(EndsOf::Any)),
        std::pair(tr("A&ll channels"), std::optional(EndsOf::All)),
        std::pair(tr("&Red"), std::optional(EndsOf::Red)),
        std::pair(tr("&Green"), std::optional(EndsOf::Green)),
        std::pair(tr("&Blue"), std::optional(EndsOf::Blue))};
    for (const auto &[name, ends] : kinds) {
        QAction *action = addCommand(menu, name, {}, tr("Hatches where the picture is pure white or black."),
                                     [this, ends = ends] { document_->setEnds(ends); });
        action->setCheckable(true);
        action->setChecked(!ends);
        group->addAction(action);
        connect(document_, &Document::lookChanged, action,
                [this, action, ends = ends] { action->setChecked(document_->ends() == ends); });
    }
    menu->addSeparator();
    needSet_ << addCommand(
        menu, tr("&Show or hide"), QKeySequence(tr("Shift+X")), tr("Hatches where any channel is pure white or black."),
        [this] { document_->setEnds(document_->ends() ? std::nullopt : std::optional(EndsOf::Any)); });
    const bool stored = QSettings().value(QStringLiteral("endsWhileDragging"), true).toBool();
    document_->setEndsWhileDragging(stored);
    QAction *dragging = menu->addAction(tr("While whites or blacks are &moved"));
    dragging->setCheckable(true);
    dragging->setChecked(stored);
    connect(dragging, &QAction::toggled, this, [this](bool on) {
        document_->setEndsWhileDragging(on);
        QSettings().setValue(QStringLiteral("endsWhileDragging"), on);
    });
}

void MainWindow::makeMonitorMenu(QMenu *menu)
{
    auto *group = new QActionGroup(this);
    const QString stored = QSettings().value(QStringLiteral("monitor"), QStringLiteral("desktop")).toString();
    const auto add = [&](const QString &name, const QString &help, const std::function<void()> &run, bool checked) {
        QAction *action = addCommand(menu, name, {}, help, run);
        action->setCheckable(true);
        action->setChecked(checked);
        group->addAction(action);
    };
    const QString desktop = QStringLiteral("desktop"), srgb = QStringLiteral("srgb");
    add(
        tr("Profile of the &desktop"),
        tr("The colour profile that the desktop keeps for the monitor; sRGB without one."),
        [this, desktop] { useMonitorProfile(desktop); }, stored == desktop);
    add(
        tr("&sRGB"), tr("The monitor takes sRGB."), [this, srgb] { useMonitorProfile(srgb); }, stored == srgb);
    add(
        tr("Profile from a &file…"), tr("A colour profile that was measured for this monitor."),
        [this] { askForMonitorProfile(); }, stored != desktop && stored != srgb);
    menu->addSeparator();
    QAction *proof = addCommand(menu, tr("&Proof of the export"), QKeySequence(tr("Shift+P")),
                                tr("Shows only colours that the colour space of the export holds."), [] {});
    proof->setCheckable(true);
    connect(proof, &QAction::toggled, document_, &Document::setProofing);
    needSet_ << proof;
    useMonitorProfile(stored);
}

void MainWindow::useMonitorProfile(const QString &choice)
{
    try {
        QByteArray profile;
        if (choice == QStringLiteral("desktop")) {
            profile = profileOfDesktop();
        } else if (choice != QStringLiteral("srgb")) {
            QFile file(choice);
            if (!file.open(QIODevice::ReadOnly))
                throw ArgumentError(tr("it cannot be read").toStdString());
            profile = file.read(kMostProfileBytes);
            if (profile.isEmpty())
                throw ArgumentError(tr("it is empty").toStdString());
        }
        document_->setMonitor(monitorOf(profile));
        QSettings().setValue(QStringLiteral("monitor"), choice);
    } catch (const Error &e) {
        document_->setMonitor(std::make_shared<const MonitorProfile>());
        const QString name =
            choice == QStringLiteral("desktop") ? tr("The monitor's profile") : QFileInfo(choice).fileName();
        failure_ = tr("%1: %2. Colours are shown as on an sRGB monitor.").arg(name, QString::fromUtf8(e.what()));
        refreshMessages();
    }
}

void MainWindow::askForMonitorProfile()
{
    const QString path = QFileDialog::getOpenFileName(this, tr("Profile of the monitor"), {},
                                                      tr("Colour profiles (*.icc *.icm *.ICC *.ICM)"));
    if (!path.isEmpty())
        useMonitorProfile(path);
}

void MainWindow::makeInspectCommands(QMenu *view)
{
    static const QStringList keys = QStringLiteral("L P S N C E M K U Shift+L").split(QLatin1Char(' '));
    for (int i = 0; i < int(keys.size()); ++i) {
        const InspectMode mode = InspectMode(i);
        needSet_ << addCommand(view, inspectionName(mode), QKeySequence(keys[i]),
                               inspectionHelp(mode) + QLatin1Char('.'), [this, mode] {
                                   const auto &now = document_->inspection();
                                   if (now && now->mode == mode) // the same key leads back
                                       document_->inspect(std::nullopt);
                                   else
                                       document_->inspect(document_->lastInspection(mode));
                               });
    }
}

void MainWindow::makeOverlayMenu(QMenu *menu)
{
    static const std::array<std::pair<const char *, QColor>, 4> colours{
        std::pair(QT_TRANSLATE_NOOP("MainWindow", "Violet"), QColor(0x8a, 0x3f, 0xd1)),
        std::pair(QT_TRANSLATE_NOOP("MainWindow", "Red"), QColor(0xd0, 0x2a, 0x2a)),
        std::pair(QT_TRANSLATE_NOOP("MainWindow", "Green"), QColor(0x0e, 0x93, 0x4a)),
        std::pair(QT_TRANSLATE_NOOP("MainWindow", "Blue"), QColor(0x1f, 0x62, 0xd9))};
    auto *group = new QActionGroup(this);
    const QString stored = QSettings().value(QStringLiteral("overlay"), QStringLiteral("Violet")).toString();
    for (const auto &[name, colour] : colours) {
        const auto choose = [this, name = name, colour = colour] {
            document_->setOverlayColour(colour);
            QSettings().setValue(QStringLiteral("overlay"), QLatin1String(name));
        };
        QAction *action = addCommand(menu, tr(name), {}, tr("The colour of hatching over the picture."), choose);
        action->setCheckable(true);
        group->addAction(action);
        if (stored == QLatin1String(name)) {
            action->setChecked(true);
            document_->setOverlayColour(colour);
        }
    }
}

void MainWindow::makeThemeMenu(QMenu *menu)
{
    auto *group = new QActionGroup(this);
    const std::array<std::pair<ThemeChoice, QString>, 3> themes{std::pair(ThemeChoice::Eggshell, tr("&Eggshell")),
                                                                std::pair(ThemeChoice::Dusk, tr("&Dusk")),
                                                                std::pair(ThemeChoice::Desktop, tr("As the desktop"))};
    for (const auto &[choice, name] : themes) {
        QAction *action = addCommand(menu, name, {}, tr("The look of the window."),
                                     [choice = choice] { Theme::instance().set(choice); });
        action->setCheckable(true);
        action->setChecked(Theme::instance().choice() == choice);
        group->addAction(action);
    }
}

} // namespace yolk::app
