#include "theme/theme.h"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QPainter>
#include <QPainterPath>
#include <QSettings>
#include <QStyleFactory>
#include <QStyleHints>
#include <QSvgRenderer>
#include <QToolTip>

namespace yolk::app {
namespace {

constexpr Tokens kEggshell{.chrome = QColor(0xd3, 0xd2, 0xce),
                           .panel = QColor(0xde, 0xdd, 0xda),
                           .field = QColor(0xec, 0xeb, 0xe8),
                           .line = QColor(0xbf, 0xbd, 0xb8),
                           .text = QColor(0x24, 0x23, 0x21),
                           .secondary = QColor(0x5c, 0x5a, 0x56),
                           .track = QColor(0xb6, 0xb4, 0xae),
                           .fill = QColor(0x5f, 0x5d, 0x59),
                           .egg = QColor(0xf6, 0xf5, 0xf2),
                           .chosen = QColor(0xfb, 0xfa, 0xf8),
                           .eggOutline = QColor(0x3a, 0x38, 0x35),
                           .accent = QColor(0xf0, 0xab, 0x1d),
                           .accentOutline = QColor(0x4a, 0x35, 0x0a),
                           .bars = QColor(0x4c, 0x4a, 0x47),
                           .histogram = QColor(0x9b, 0x99, 0x94),
                           .dark = false};

constexpr Tokens kDusk{.chrome = QColor(0x2b, 0x2a, 0x29),
                       .panel = QColor(0x33, 0x32, 0x31),
                       .field = QColor(0x42, 0x41, 0x3f),
                       .line = QColor(0x4b, 0x4a, 0x48),
                       .text = QColor(0xe2, 0xe0, 0xdb),
                       .secondary = QColor(0xa8, 0xa5, 0x9f),
                       .track = QColor(0x56, 0x54, 0x51),
                       .fill = QColor(0xa9, 0xa6, 0xa0),
                       .egg = QColor(0xd8, 0xd5, 0xcf),
                       .chosen = QColor(0x5e, 0x5c, 0x59),
                       .eggOutline = QColor(0x16, 0x15, 0x14),
                       .accent = QColor(0xf0, 0xab, 0x1d),
                       .accentOutline = QColor(0x1c, 0x14, 0x04),
                       .bars = QColor(0xc4, 0xc1, 0xbb),
                       .histogram = QColor(0x6e, 0x6c, 0x68),
                       .dark = true};

bool desktopIsDark()
{
    // Qt 6.4 has no colour scheme hint; a dark window colour in the palette the desktop gave us tells.
    static const bool dark = QGuiApplication::palette().color(QPalette::Window).lightness() < 128;
    return dark;
}

QPalette paletteOf(const Tokens &t)
{
    QPalette p;
    p.setColor(QPalette::Window, t.chrome);
    p.setColor(QPalette::WindowText, t.text);
    p.setColor(QPalette::Base, t.field);
    p.setColor(QPalette::AlternateBase, t.panel);
    p.setColor(QPalette::Text, t.text);
    p.setColor(QPalette::Button, t.field);
    p.setColor(QPalette::ButtonText, t.text);
    p.setColor(QPalette::PlaceholderText, t.secondary);
    p.setColor(QPalette::ToolTipBase, t.field);
    p.setColor(QPalette::ToolTipText, t.text);
    p.setColor(QPalette::Mid, t.line);
    p.setColor(QPalette::Highlight, t.fill);
    p.setColor(QPalette::HighlightedText, t.field);
    for (const auto role : {QPalette::WindowText, QPalette::Text, QPalette::ButtonText})
        p.setColor(QPalette::Disabled, role, t.secondary);
    return p;
}

QString styleSheetOf(const Tokens &t)
{
    return QStringLiteral(R"(
        QMenuBar { background: %1; padding: 2px 8px; }
        QMenuBar::item { padding: 4px 9px; background: transparent; border-radius: 4px; }
        QMenuBar::item:selected { background: %3; }
        QMenu { background: %2; border: 1px solid %4; padding: 4px; }
        QMenu::item { padding: 5px 26px 5px 22px; border-radius: 4px; }
        QMenu::item:selected { background: %3; }
        QMenu::item:disabled { color: %6; }
        QMenu::separator { height: 1px; background: %4; margin: 4px 8px; }
        QToolTip { background: %3; color: %5; border: 1px solid %4; padding: 4px; }
        QPushButton, QToolButton { background: %3; color: %5; border: 1px solid transparent; border-radius: 5px; padding: 4px 10px; }
        QPushButton:hover, QToolButton:hover { border-color: %7; }
        QPushButton:focus, QToolButton:focus { border-color: %5; }
        QPushButton:pressed, QToolButton:pressed { background: %4; }
        QPushButton:disabled, QToolButton:disabled { color: %6; background: %2; }
        QToolButton:checked { background: %8; color: %9; }
        QFileDialog QToolButton { padding: 3px; }
        QComboBox { background: %3; color: %5; border: 1px solid transparent; border-radius: 5px; padding: 3px 9px; }
        QComboBox:hover { border-color: %7; }
        QComboBox:focus { border-color: %5; }
        QComboBox:disabled { color: %6; background: %2; }
        QComboBox::drop-down { border: none; width: 22px; }
        QComboBox::down-arrow { image: url(:/icons/chevron-down-on-%10.svg); width: 14px; height: 14px; }
        QComboBox QAbstractItemView { background: %2; border: 1px solid %4; selection-background-color: %7; }
        QListWidget { background: %3; border: 1px solid %4; border-radius: 4px; }
        QListWidget::item { height: 23px; padding-left: 5px; color: %5; background: transparent; border: none; }
        QTreeWidget { background: %3; border: 1px solid %4; border-radius: 4px; padding: 4px; }
        QTreeWidget::item { height: 22px; }
        QListWidget::item:hover { background: %2; }
        QListWidget::indicator { width: 13px; height: 13px; border: 1px solid %6; border-radius: 3px; background: %3; }
        QListWidget::indicator:checked { image: url(:/icons/check-on-%10.svg); }
        QListWidget::item:selected { background: %7; color: %5; }
        QLineEdit { background: transparent; border: 1px solid transparent; border-radius: 4px; padding: 0px 2px; }
        QLineEdit:hover { border-color: %4; }
        QLineEdit:focus { background: %3; border-color: %5; }
        QScrollArea { background: transparent; border: none; }
        QScrollBar:vertical { background: transparent; width: 9px; margin: 0; }
        QScrollBar::handle:vertical { background: %7; border-radius: 3px; min-height: 30px; margin: 0 2px; }
        QScrollBar::add-line, QScrollBar::sub-line { height: 0; }
        QProgressBar { background: %7; border: none; border-radius: 3px; }
        QProgressBar::chunk { background: %5; border-radius: 3px; }
    )")
        .arg(t.chrome.name(), t.panel.name(), t.field.name(), t.line.name(), t.text.name(), t.secondary.name(),
             t.track.name(), t.chosen.name(), t.text.name(), QLatin1String(t.dark ? "dark" : "light"));
}

} // namespace

Theme &Theme::instance()
{
    static Theme theme;
    return theme;
}

void Theme::install()
{
    desktopIsDark(); // asked before our own palette replaces the desktop's
    for (const char *face : {"Regular", "Medium", "SemiBold"})
        QFontDatabase::addApplicationFont(QStringLiteral(":/fonts/Inter-%1.otf").arg(QLatin1String(face)));
    QFont font(QStringLiteral("Inter"));
    font.setPixelSize(13);
    QApplication::setFont(font);
    QApplication::setStyle(QStyleFactory::create(QStringLiteral("Fusion")));
    choice_ = ThemeChoice(QSettings().value(QStringLiteral("theme"), int(ThemeChoice::Eggshell)).toInt());
    apply();
}

void Theme::set(ThemeChoice choice)
{
    choice_ = choice;
    QSettings().setValue(QStringLiteral("theme"), int(choice));
    apply();
}

void Theme::apply()
{
    const bool dark = choice_ == ThemeChoice::Dusk || (choice_ == ThemeChoice::Desktop && desktopIsDark());
    tokens_ = dark ? kDusk : kEggshell;
    QApplication::setPalette(paletteOf(tokens_));
    QToolTip::setPalette(paletteOf(tokens_));
    qApp->setStyleSheet(styleSheetOf(tokens_));
    Q_EMIT changed();
}

QPixmap themedPixmap(const QString &name, int size, const QColor &colour, qreal ratio)
{
    QFile file(QStringLiteral(":/icons/%1.svg").arg(name));
    if (!file.open(QIODevice::ReadOnly))
        return {};
    QSvgRenderer renderer(file.readAll().replace("currentColor", colour.name().toUtf8()));
    QPixmap pixmap(QSize(size, size) * ratio);
    pixmap.setDevicePixelRatio(ratio);
    pixmap.fill(Qt::transparent);
    QPainter painter(&pixmap);
    renderer.render(&painter, QRectF(0, 0, size, size));
    return pixmap;
}

QIcon themedIcon(const QString &name)
{
    QIcon icon;
    for (const qreal ratio : {1.0, 2.0}) {
        icon.addPixmap(themedPixmap(name, 16, tokens().text, ratio), QIcon::Normal);
        icon.addPixmap(themedPixmap(name, 16, tokens().secondary, ratio), QIcon::Disabled);
    }
    return icon;
}

void paintEgg(QPainter &painter, const QPointF &centre, double height, bool live, bool focused)
{
    const Tokens &t = tokens();
    const double h = height / 2, w = height * 0.37;
    const double widest = centre.y() + height * 0.08; // an egg stands on its blunt end
    QPainterPath path(QPointF(centre.x(), centre.y() - h));
    path.cubicTo(centre.x() + w * 0.75, centre.y() - h, centre.x() + w, widest - h * 0.35, centre.x() + w, widest);
    path.cubicTo(centre.x() + w, widest + h * 0.62, centre.x() + w * 0.55, centre.y() + h, centre.x(), centre.y() + h);
    path.cubicTo(centre.x() - w * 0.55, centre.y() + h, centre.x() - w, widest + h * 0.62, centre.x() - w, widest);
    path.cubicTo(centre.x() - w, widest - h * 0.35, centre.x() - w * 0.75, centre.y() - h, centre.x(), centre.y() - h);
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    if (focused) {
        painter.setPen(QPen(t.text, 4));
        painter.drawPath(path);
    }
    painter.setBrush(live ? t.accent : t.egg);
    painter.setPen(QPen(live ? t.accentOutline : t.eggOutline, 1.2));
    painter.drawPath(path);
    painter.restore();
}

} // namespace yolk::app
