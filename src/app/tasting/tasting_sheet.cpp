#include "tasting/tasting_sheet.h"

#include "recipe/neighbours.h"
#include "tasting/preset_actions.h"
#include "tasting/tasting_pair.h"
#include "theme/theme.h"

#include <QKeyEvent>
#include <QLabel>
#include <QMenu>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>

namespace yolk::app {
namespace {

constexpr double kFinestStep = 0.2;
constexpr double kPairShare = 0.44; ///< of the height: a whole row with its sentences stays in view below

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
    case Qt::Key_Space:
    case Qt::Key_F:
    case Qt::Key_Escape:
        return true;
    default:
        return false;
    }
}

} // namespace

TastingSheet::TastingSheet(Document *document, PresetShelf *shelf, QWidget *parent)
    : QWidget(parent), document_(document), shelf_(shelf), actions_(new PresetActions(document, shelf, this)),
      heading_(new QLabel(this)), keys_(new QLabel(this)), pair_(new TastingPair(this)), tiles_(new TastingTiles(this))
{
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Tasting sheet"));
    QFont strong = font();
    strong.setWeight(QFont::DemiBold);
    heading_->setFont(strong);
    heading_->setContentsMargins(12, 6, 12, 4);
    keys_->setContentsMargins(12, 4, 12, 6);
    keys_->setAlignment(Qt::AlignRight);
    keys_->setForegroundRole(QPalette::PlaceholderText);
    pair_->hide();
    auto *column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(0);
    column->addWidget(heading_);
    column->addWidget(pair_);
    column->addWidget(tiles_, 1);
    column->addWidget(keys_);

    connect(tiles_, &TastingTiles::pressed, this, &TastingSheet::setCurrent);
    connect(tiles_, &TastingTiles::activated, this, [this](int index) {
        setCurrent(index);
        choose();
    });
    connect(tiles_, &TastingTiles::menuAsked, this, &TastingSheet::showMenu);
    connect(tiles_, &TastingTiles::laidOut, this, &TastingSheet::ask);
    connect(pair_, &TastingPair::laidOut, this, &TastingSheet::ask);
    connect(actions_, &PresetActions::failed, this, &TastingSheet::failed);
    connect(document, &Document::tasted, this, &TastingSheet::take);
    connect(shelf, &PresetShelf::changed, this, [this] {
        if (isVisible() && !neighbours_)
            makeRows();
    });
    // What is shown was made from the present settings and merge.
    for (const auto change : {&Document::setChanged, &Document::bracketChanged, &Document::recipeChanged})
        connect(document, change, this, [this] {
            if (isVisible())
                Q_EMIT closed();
        });
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

double TastingSheet::aspect() const
{
    const QRect area = document_->pictureArea();
    return area.isEmpty() ? 1.5 : double(area.width()) / area.height();
}

void TastingSheet::showPresets()
{
    if (!document_->isOpen())
        return;
    neighbours_ = false;
    ++round_;
    recipes_.clear();
    pair_->hide();
    tiles_->setTiles({}, {}, aspect());
    makeRows();
    const auto used = QString::fromStdString(document_->recipe().preset.name);
    const auto &all = tiles_->tiles();
    const auto it = std::ranges::find_if(all, [&](const TastingTile &t) { return t.name == used && t.key != "now"; });
    setCurrent(it == all.end() ? 0 : int(it - all.begin()));
}

void TastingSheet::makeRows()
{
    QHash<QString, QImage> made; // pictures stay when rows change
    for (const TastingTile &tile : tiles_->tiles())
        made.insert(tile.key, tile.picture);
    const QString before = tiles_->count() > 0 ? tiles_->tiles()[tiles_->current()].key : QString();
    const Recipe start = document_->automaticRecipe();
    QList<TastingTile> tiles;
    QList<TastingRow> rows;
    const auto addTile = [&](const QString &key, const QString &name, const QString &description,
                             const Recipe &recipe) {
        tiles << TastingTile{key, name, description, shelf_->favourites().contains(name) && key != "now",
                             made.value(key)};
        recipes_.insert(key, recipe);
        ++rows.back().count;
    };
    const auto addPresets = [&](std::span<const Preset> presets) {
        for (const Preset &preset : presets) {
            const QString name = QString::fromStdString(preset.name);
            addTile(QStringLiteral("preset ") + name, name,
                    preset.description.empty() ? tr("One of your own") : QString::fromStdString(preset.description),
                    withPreset(document_->recipe(), preset, 100.0, start));
        }
    };
    const auto addRow = [&](const QString &heading, const QString &hint = {}) {
        rows << TastingRow{heading, hint, int(tiles.size()), 0};
    };
    addRow(tr("Now"));
    addTile(QStringLiteral("now"), tr("As it is"), tr("The present settings"), document_->recipe());
    std::vector<Preset> favourites;
    for (const QString &name : shelf_->favourites())
        if (const auto preset = shelf_->find(name))
            favourites.push_back(*preset);
    addPresets(favourites);
    if (favourites.empty())
        rows.back().hint = tr("Favourites stand in this row: F makes the current preset one, or takes it back.");
    else
        rows.back().heading = tr("Now, and favourites");
    if (const std::vector<Preset> own = shelf_->ownOnes(); !own.empty()) {
        addRow(tr("Own"));
        addPresets(own);
    }
    for (const QString &group : shelf_->ourGroups()) {
        addRow(group);
        addPresets(shelf_->oursIn(group));
    }
    tiles_->setTiles(std::move(tiles), std::move(rows), aspect());
    const auto &all = tiles_->tiles();
    const auto it = std::ranges::find(all, before, &TastingTile::key);
    setCurrent(it == all.end() ? 0 : int(it - all.begin()));
    showPair();
}

void TastingSheet::showNeighbours()
{
    if (!document_->isOpen())
        return;
    neighbours_ = true;
    step_ = 1.0;
    makeNeighbours(document_->recipe());
}

void TastingSheet::makeNeighbours(const Recipe &round)
{
    static const std::array<const char *, 9> names{
        QT_TR_NOOP("Darker, natural"),  QT_TR_NOOP("Natural"),  QT_TR_NOOP("Brighter, natural"),
        QT_TR_NOOP("Darker"),           QT_TR_NOOP("As it is"), QT_TR_NOOP("Brighter"),
        QT_TR_NOOP("Darker, dramatic"), QT_TR_NOOP("Dramatic"), QT_TR_NOOP("Brighter, dramatic")};
    ++round_;
    recipes_.clear();
    pair_->hide();
    QList<TastingTile> tiles;
    const auto recipes = neighboursOf(round, step_);
    for (size_t i = 0; i < recipes.size(); ++i) {
        const QString key = QStringLiteral("neighbour %1").arg(i);
        tiles << TastingTile{key, tr(names[i]), {}, false, {}};
        recipes_.insert(key, recipes[i]);
    }
    tiles_->setTiles(std::move(tiles), {TastingRow{{}, {}, 0, int(recipes.size())}}, aspect(), 3);
    setCurrent(int(kPresentNeighbour));
}

QString TastingSheet::pairKey(int index) const
{
    return QStringLiteral("large ") + tiles_->tiles()[index].key;
}

void TastingSheet::ask()
{
    if (!isVisible() || tiles_->count() == 0)
        return;
    const double ratio = devicePixelRatioF();
    const QSize small = (tiles_->pictureSize() * ratio).toSize(), large = (pair_->pictureSize() * ratio).toSize();
    const QString round = QString::number(round_) + QLatin1Char(' ');
    QList<TasteRequest> first, later;
    QSet<QString> asked;
    if (pair_->isVisible())
        for (const auto &[side, index] : {std::pair(0, tiles_->marked()), std::pair(1, tiles_->current())})
            if (pair_->picture(side).size() != large)
                first << TasteRequest{round + pairKey(index), recipes_[tiles_->tiles()[index].key], large};
    for (int i = 0; i < tiles_->count(); ++i) {
        const TastingTile &tile = tiles_->tiles()[i];
        if (tile.picture.size() == small || asked.contains(tile.key))
            continue;
        asked.insert(tile.key);
        (tiles_->isInView(i) ? first : later) << TasteRequest{round + tile.key, recipes_[tile.key], small};
    }
    document_->taste(first + later);
}

void TastingSheet::take(const QString &key, const QImage &picture)
{
    const QString round = QString::number(round_) + QLatin1Char(' ');
    if (!key.startsWith(round) || tiles_->count() == 0)
        return;
    const QString own = key.mid(round.size());
    tiles_->setPicture(own, picture);
    if (!pair_->isVisible())
        return;
    for (const auto &[side, index] : {std::pair(0, tiles_->marked()), std::pair(1, tiles_->current())})
        if (own == pairKey(index))
            pair_->setPicture(side, picture);
}

void TastingSheet::setCurrent(int index)
{
    tiles_->setCurrent(index);
    setAccessibleDescription(tiles_->count() > 0 ? nameOf(tiles_->current()) : QString());
    pair_->setPicture(1, {});
    showPair();
}

void TastingSheet::mark()
{
    tiles_->setMarked(tiles_->marked() == tiles_->current() ? -1 : tiles_->current());
    pair_->setPicture(0, {});
    showPair();
}

void TastingSheet::showPair()
{
    const bool held = tiles_->marked() >= 0;
    pair_->setVisible(held);
    if (held) {
        pair_->setAspect(aspect());
        pair_->setFixedHeight(int(height() * kPairShare));
        pair_->setNames(nameOf(tiles_->marked()), nameOf(tiles_->current()));
        // The small ones until the large ones are there.
        for (const auto &[side, index] : {std::pair(0, tiles_->marked()), std::pair(1, tiles_->current())})
            if (pair_->picture(side).isNull())
                pair_->setPicture(side, tiles_->tiles()[index].picture);
        layout()->activate();
        tiles_->setCurrent(tiles_->current());
    }
    showWords();
    ask();
}

void TastingSheet::showWords()
{
    if (neighbours_) {
        heading_->setText(step_ == 1.0 ? tr("Neighbours of the picture") : tr("Neighbours, finer steps"));
        keys_->setText(tr("Enter goes on round the chosen picture in finer steps, on the middle one it takes it. "
                          "Space holds one beside the others. Escape changes nothing."));
        return;
    }
    heading_->setText(tr("Presets"));
    keys_->setText(tiles_->marked() >= 0
                       ? tr("Enter takes the right one. Space on the held one lets it go, elsewhere holds that one.")
                       : tr("Enter takes the chosen one. Space holds it beside the others. F: favourite. "
                            "Escape changes nothing."));
}

void TastingSheet::choose()
{
    if (tiles_->count() == 0)
        return;
    const int current = tiles_->current();
    const Recipe chosen = recipes_[tiles_->tiles()[current].key];
    if (neighbours_ && current != int(kPresentNeighbour) && step_ > kFinestStep) {
        step_ /= 2;
        return makeNeighbours(chosen);
    }
    const QString what = neighbours_ ? tr("neighbour") : tr("preset %1").arg(nameOf(current));
    Q_EMIT closed();
    document_->setRecipe(chosen, what);
}

void TastingSheet::toggleFavourite()
{
    const TastingTile tile = tiles_->tiles()[tiles_->current()];
    if (neighbours_ || !shelf_->find(tile.name))
        return;
    try {
        shelf_->setFavourite(tile.name, !tile.favourite);
    } catch (const Error &e) {
        Q_EMIT failed(QString::fromUtf8(e.what()));
    }
}

void TastingSheet::moveRow(int direction)
{
    const auto &rows = tiles_->rows();
    const int row = std::clamp(tiles_->rowOf(tiles_->current()) + direction, 0, int(rows.size()) - 1);
    setCurrent(rows[row].first);
}

void TastingSheet::showMenu(int index, const QPoint &at)
{
    setCurrent(index);
    const TastingTile tile = tiles_->tiles()[index];
    QMenu menu(this);
    menu.addAction(tr("&Take"), this, &TastingSheet::choose);
    menu.addAction(tr("&Hold beside the others"), this, &TastingSheet::mark);
    if (!neighbours_ && shelf_->find(tile.name)) {
        QAction *favourite = menu.addAction(tr("&Favourite"), this, &TastingSheet::toggleFavourite);
        favourite->setCheckable(true);
        favourite->setChecked(tile.favourite);
        menu.addSeparator();
        actions_->fill(&menu, tile.name);
    }
    menu.exec(at);
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
    const int current = tiles_->current();
    switch (event->key()) {
    case Qt::Key_Left:
        return setCurrent(current - 1);
    case Qt::Key_Right:
        return setCurrent(current + 1);
    case Qt::Key_Up:
        return setCurrent(tiles_->beyond(current, -1));
    case Qt::Key_Down:
        return setCurrent(tiles_->beyond(current, +1));
    case Qt::Key_Home:
        return setCurrent(0);
    case Qt::Key_End:
        return setCurrent(tiles_->count() - 1);
    case Qt::Key_PageUp:
        return moveRow(-1);
    case Qt::Key_PageDown:
        return moveRow(+1);
    case Qt::Key_Return:
    case Qt::Key_Enter:
        return choose();
    case Qt::Key_Space:
        return mark();
    case Qt::Key_F:
        return toggleFavourite();
    case Qt::Key_Escape:
        return Q_EMIT closed();
    default:
        QWidget::keyPressEvent(event);
    }
}

void TastingSheet::resizeEvent(QResizeEvent *)
{
    if (pair_->isVisible())
        pair_->setFixedHeight(int(height() * kPairShare));
}

void TastingSheet::hideEvent(QHideEvent *)
{
    document_->taste({});
}

void TastingSheet::paintEvent(QPaintEvent *)
{
    QPainter(this).fillRect(rect(), tokens().chrome);
}

} // namespace yolk::app
