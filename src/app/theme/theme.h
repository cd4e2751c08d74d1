// The look: one set of tokens per theme, from which palette, style sheet and all painting of our own widgets come.
#pragma once

#include <QColor>
#include <QIcon>
#include <QObject>
#include <QPixmap>

class QPainter;
class QPointF;

namespace yolk::app {

struct Tokens {
    QColor chrome, panel, field, line; // surfaces from dark to light, hairlines
    QColor text, secondary;            // on chrome and panel alike
    QColor track, fill;                // of a slider: the way and the part from neutral
    QColor egg, chosen, eggOutline;    // handle at rest, a choice that is taken
    QColor accent, accentOutline;      // active step and live handle, nothing else
    QColor bars, histogram;            // on the light scale
    bool dark;
};

enum class ThemeChoice { Eggshell, Dusk, Desktop };

/// The running theme. One for the application; change it with set().
class Theme : public QObject {
    Q_OBJECT
public:
    static Theme &instance();
    const Tokens &tokens() const { return tokens_; }
    ThemeChoice choice() const { return choice_; }
    void set(ThemeChoice choice);
    /// Fonts, style and the stored theme; once, after the QApplication was made.
    void install();

Q_SIGNALS:
    void changed();

private:
    void apply();
    Tokens tokens_{};
    ThemeChoice choice_ = ThemeChoice::Eggshell;
};

inline const Tokens &tokens()
{
    return Theme::instance().tokens();
}

/// An icon of assets/icons, tinted with the theme's text colour; disabled parts in the secondary one.
QIcon themedIcon(const QString &name);
QPixmap themedPixmap(const QString &name, int size, const QColor &colour, qreal ratio);

/// The upright egg that serves as handle: `centre` and `height` in logical pixels; live ones take the accent.
void paintEgg(QPainter &painter, const QPointF &centre, double height, bool live, bool focused);

} // namespace yolk::app
