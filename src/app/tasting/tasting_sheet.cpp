#include "tasting/tasting_sheet.h"

#include "recipe/variations.h"
#include "theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr double kMargin = 12.0, kGap = 10.0, kHeading = 30.0, kName = 22.0, kFoot = 26.0; // logical pixels
constexpr double kFinestStep = 0.2;

bool isOurKey(int key)
{
    switch (key) {
    case Qt::Key_Left:
    case Qt::Key_Right:
    case Qt::Key_Up:
    case Qt::Key_Down:
    case Qt::Key_PageUp:
    case Qt::Key_PageDown:
    case Qt::Key_Home:
    case Qt::Key_End:
    case Qt::Key_Return:
    case Qt::Key_Enter:
    case Qt::Key_Escape:
        return true;
    default:
        return false;
    }
}

} // namespace

TastingSheet::TastingSheet(Document *document, PresetShelf *shelf, QWidget *parent)
    : QWidget(parent), document_(document), shelf_(shelf)
{
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Tasting sheet"));
    connect(document, &Document::tasted, this, [this](const QList<QImage> &pictures) {
        if (pictures.size() == tiles_.size()) {
            pictures_ = pictures;
            update();
        }
    });
    // What is shown was made from the present settings and merge.
    for (const auto change : {&Document::setChanged, &Document::bracketChanged, &Document::recipeChanged})
        connect(document, change, this, [this] {
            if (isVisible())
                Q_EMIT closed();
        });
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void TastingSheet::showPresets(const QString &group)
{
    if (!document_->isOpen())
        return;
    group_ = group;
    const Recipe start = document_->automaticRecipe();
    QList<Tile> tiles{{tr("As it is"), tr("The present settings."), document_->recipe()}};
    int current = 0;
    for (const Preset &preset : shelf_->inGroup(group)) {
        if (document_->recipe().preset.name == preset.name)
            current = int(tiles.size());
        tiles << Tile{QString::fromStdString(preset.name), QString::fromStdString(preset.description),
                      withPreset(document_->recipe(), preset, 100.0, start)};
    }
    show(tiles, current);
}

void TastingSheet::showVariations()
{
    if (!document_->isOpen())
        return;
    group_.clear();
    step_ = 1.0;
    makeVariations(document_->recipe());
}

void TastingSheet::makeVariations(const Recipe &round)
{
    static const std::array<const char *, 9> names{
        QT_TR_NOOP("Darker, natural"),  QT_TR_NOOP("Natural"),  QT_TR_NOOP("Brighter, natural"),
        QT_TR_NOOP("Darker"),           QT_TR_NOOP("As it is"), QT_TR_NOOP("Brighter"),
        QT_TR_NOOP("Darker, dramatic"), QT_TR_NOOP("Dramatic"), QT_TR_NOOP("Brighter, dramatic")};
    QList<Tile> tiles;
    const auto recipes = variationsOf(round, step_);
    for (size_t i = 0; i < recipes.size(); ++i)
        tiles << Tile{tr(names[i]), {}, recipes[i]};
    show(tiles, int(kPresentVariation));
}

void TastingSheet::show(QList<Tile> tiles, int current)
{
    tiles_ = std::move(tiles);
    pictures_.clear();
    current_ = current;
    ask();
    update();
}

void TastingSheet::ask()
{
    if (tiles_.isEmpty())
        return;
    QList<Recipe> recipes;
    for (const Tile &tile : tiles_)
        recipes << tile.recipe;
    document_->taste(recipes, (pictureSize() * devicePixelRatioF()).toSize());
}

int TastingSheet::columns() const
{
    // As many as give the largest pictures.
    const QRect area = document_->pictureArea();
    const double aspect = area.isEmpty() ? 1.5 : double(area.width()) / area.height();
    int best = 1;
    double largest = 0.0;
    for (int n = 1; n <= int(tiles_.size()); ++n) {
        const double rows = std::ceil(double(tiles_.size()) / n);
        const double w = (width() - 2 * kMargin - (n - 1) * kGap) / n;
        const double h = (height() - kHeading - kFoot - (rows - 1) * kGap) / rows - kName;
        const double shown = std::min(w, h * aspect);
        if (shown > largest + 0.5) {
            largest = shown;
            best = n;
        }
    }
    return isOfVariations() ? 3 : best;
}

QSizeF TastingSheet::pictureSize() const
{
    const int n = columns(), rows = (count() + n - 1) / std::max(1, n);
    const QRect area = document_->pictureArea();
    const QSizeF room((width() - 2 * kMargin - (n - 1) * kGap) / n,
                      (height() - kHeading - kFoot - (rows - 1) * kGap) / std::max(1, rows) - kName);
    return QSizeF(area.size())
        .scaled(QSizeF(std::max(8.0, room.width()), std::max(8.0, room.height())), Qt::KeepAspectRatio);
}

QRectF TastingSheet::tileRect(int index) const
{
    const int n = columns(), rows = (count() + n - 1) / std::max(1, n);
    const QSizeF size = pictureSize();
    const double across = n * size.width() + (n - 1) * kGap, down = rows * (size.height() + kName) + (rows - 1) * kGap;
    const double left = (width() - across) / 2,
                 top = kHeading + std::max(0.0, (height() - kHeading - kFoot - down) / 2);
    return {QPointF(std::round(left + (index % n) * (size.width() + kGap)),
                    std::round(top + (index / n) * (size.height() + kName + kGap))),
            size};
}

int TastingSheet::tileAt(const QPointF &position) const
{
    for (int i = 0; i < count(); ++i)
        if (tileRect(i).adjusted(0, 0, 0, kName).contains(position))
            return i;
    return -1;
}

void TastingSheet::setCurrent(int index)
{
    current_ = std::clamp(index, 0, std::max(0, count() - 1));
    setAccessibleDescription(count() > 0 ? tiles_[current_].name : QString());
    update();
}

void TastingSheet::choose()
{
    if (current_ >= count())
        return;
    const Recipe chosen = tiles_[current_].recipe;
    if (isOfVariations() && current_ != int(kPresentVariation) && step_ > kFinestStep) {
        step_ /= 2;
        return makeVariations(chosen);
    }
    const QString what = isOfVariations() ? tr("variation") : tr("preset %1").arg(tiles_[current_].name);
    Q_EMIT closed();
    document_->setRecipe(chosen, what);
}

void TastingSheet::moveGroup(int direction)
{
    if (isOfVariations())
        return;
    const QStringList groups = shelf_->groups();
    const qsizetype at = groups.indexOf(group_), count = groups.size();
    showPresets(groups[(at + direction + count) % count]);
}

QString TastingSheet::heading() const
{
    if (isOfVariations())
        return step_ == 1.0 ? tr("Variations of the picture") : tr("Variations, finer steps");
    return tr("Presets: %1").arg(group_);
}

bool TastingSheet::event(QEvent *event)
{
    // These keys are commands of the window, but not while tasting.
    if (event->type() == QEvent::ShortcutOverride) {
        auto *key = static_cast<QKeyEvent *>(event);
        if (key->modifiers() == Qt::NoModifier && isOurKey(key->key())) {
            event->accept();
            return true;
        }
    }
    return QWidget::event(event);
}

void TastingSheet::keyPressEvent(QKeyEvent *event)
{
    switch (event->key()) {
    case Qt::Key_Left:
        return setCurrent(current_ - 1);
    case Qt::Key_Right:
        return setCurrent(current_ + 1);
    case Qt::Key_Up:
        return current_ >= columns() ? setCurrent(current_ - columns()) : void();
    case Qt::Key_Down:
        return current_ + columns() < count() ? setCurrent(current_ + columns()) : void();
    case Qt::Key_Home:
        return setCurrent(0);
    case Qt::Key_End:
        return setCurrent(count() - 1);
    case Qt::Key_PageUp:
        return moveGroup(-1);
    case Qt::Key_PageDown:
        return moveGroup(+1);
    case Qt::Key_Return:
    case Qt::Key_Enter:
        return choose();
    case Qt::Key_Escape:
        return Q_EMIT closed();
    default:
        QWidget::keyPressEvent(event);
    }
}

void TastingSheet::mousePressEvent(QMouseEvent *event)
{
    if (const int tile = tileAt(event->position()); tile >= 0)
        setCurrent(tile);
}

void TastingSheet::mouseDoubleClickEvent(QMouseEvent *event)
{
    if (tileAt(event->position()) == current_)
        choose();
}

void TastingSheet::resizeEvent(QResizeEvent *)
{
    ask();
}

void TastingSheet::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), tokens().chrome);
    QFont strong = font();
    strong.setPixelSize(13);
    strong.setWeight(QFont::DemiBold);
    painter.setFont(strong);
    painter.setPen(tokens().text);
    const QRectF top(kMargin, 0, width() - 2 * kMargin, kHeading);
    painter.drawText(top, Qt::AlignVCenter | Qt::AlignLeft, heading());
    const double taken = painter.fontMetrics().horizontalAdvance(heading()) + 24.0;
    QFont plain = font();
    plain.setPixelSize(12);
    painter.setFont(plain);
    const QString description = current_ < count() ? tiles_[current_].description : QString();
    painter.drawText(top.adjusted(taken, 0, 0, 0), Qt::AlignVCenter | Qt::AlignRight,
                     painter.fontMetrics().elidedText(description, Qt::ElideRight, int(top.width() - taken)));
    for (int i = 0; i < count(); ++i) {
        const QRectF tile = tileRect(i);
        if (i < pictures_.size()) {
            QImage image = pictures_[i];
            image.setDevicePixelRatio(devicePixelRatioF());
            painter.drawImage(tile.topLeft(), image);
        } else {
            painter.fillRect(tile, tokens().track);
        }
        if (i == current_) {
            painter.setBrush(Qt::NoBrush);
            painter.setPen(QPen(tokens().text, 1));
            painter.drawRect(tile.adjusted(-3.5, -3.5, 3.5, 3.5));
            painter.setPen(QPen(tokens().accent, 2));
            painter.drawRect(tile.adjusted(-2, -2, 2, 2));
        }
        painter.setFont(i == current_ ? strong : plain);
        painter.setPen(tokens().text);
        const QRectF words(tile.left(), tile.bottom() + 3, tile.width(), kName - 3);
        painter.drawText(words, Qt::AlignCenter,
                         painter.fontMetrics().elidedText(tiles_[i].name, Qt::ElideRight, int(words.width())));
    }
    painter.setFont(plain);
    painter.setPen(tokens().secondary);
    const QString keys =
        isOfVariations()
            ? tr("Enter goes on round the chosen picture in finer steps, on the middle one it takes it. Escape changes "
                 "nothing.")
            : tr("Enter takes the chosen one. Page Up and Page Down: other groups. Escape changes nothing.");
    const QRectF foot(kMargin, height() - kFoot, width() - 2 * kMargin, kFoot);
    painter.drawText(foot, Qt::AlignVCenter | Qt::AlignRight, keys);
}

} // namespace yolk::app
