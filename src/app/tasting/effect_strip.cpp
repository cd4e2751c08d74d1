#include "tasting/effect_strip.h"

#include "canvas/viewport.h"
#include "tasting/tasting_tiles.h"
#include "widgets/number_text.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr int kHeight = 128; // logical pixels

} // namespace

EffectStrip::EffectStrip(Document *document, QWidget *parent)
    : QFrame(parent), document_(document), name_(new QLabel(this)), tiles_(new TastingTiles(this))
{
    setObjectName(QStringLiteral("effectStrip"));
    setAccessibleName(tr("Effects of a setting"));
    setFixedHeight(kHeight);
    setAutoFillBackground(true);
    name_->setWordWrap(true);
    name_->setFixedWidth(96);
    name_->setAlignment(Qt::AlignLeft | Qt::AlignTop);
    auto *row = new QHBoxLayout(this);
    row->setContentsMargins(14, 6, 6, 4);
    row->setSpacing(0);
    row->addWidget(name_);
    row->addWidget(tiles_, 1);
    connect(tiles_, &TastingTiles::pressed, this, &EffectStrip::choose);
    connect(tiles_, &TastingTiles::laidOut, this, &EffectStrip::ask);
    connect(document, &Document::tasted, this, &EffectStrip::take);
    connect(document, &Document::recipeChanged, this, &EffectStrip::refresh);
    connect(document, &Document::setChanged, this, [this] {
        place_ = document_->pictureArea().center();
        shown_.reset();
        refresh();
    });
}

void EffectStrip::showSetting(const NumericSetting *setting, bool isFine)
{
    if (setting != setting_) { // what the other one does must not stand under its values
        tiles_->setTiles({}, {}, 1.5);
        shown_.reset();
    }
    setting_ = setting;
    isFine_ = isFine;
    refresh();
    if (tiles_->count() > 0 && !tiles_->isReady())
        ask(); // something else was tasted in between
}

void EffectStrip::setPlace(const QPointF &place)
{
    place_ = place;
    if (!isFine_)
        return;
    shown_.reset();
    refresh();
}

double EffectStrip::valueOf(int index) const
{
    const SliderSpec &spec = setting_->spec;
    return spec.minimum + (spec.maximum - spec.minimum) * index / (kPictures - 1);
}

void EffectStrip::refresh()
{
    if (!isVisible() || !setting_ || !document_->isOpen())
        return;
    Recipe now = document_->recipe();
    const double value = setting_->get(now);
    setting_->set(now, setting_->spec.neutral);
    if (!shown_ || *shown_ != now) {
        shown_ = now;
        ++round_;
        makeTiles();
    }
    int nearest = 0;
    for (int i = 1; i < kPictures; ++i)
        if (std::abs(valueOf(i) - value) < std::abs(valueOf(nearest) - value))
            nearest = i;
    tiles_->setCurrent(nearest);
}

void EffectStrip::makeTiles()
{
    const SliderSpec &spec = setting_->spec;
    name_->setText(isFine_ ? tr("%1, at 100 %").arg(spec.name) : spec.name);
    const QRectF area = document_->pictureArea();
    constexpr double kFineAspect = 1.6;
    QList<TastingTile> tiles;
    for (int i = 0; i < kPictures; ++i) {
        const QString number = spec.minimum < 0.0 ? signedNumber(valueOf(i), spec.decimals)
                                                  : QLocale().toString(valueOf(i), 'f', spec.decimals);
        tiles << TastingTile{QString::number(i),
                             spec.unit.isEmpty() ? number : number + QLatin1Char(' ') + spec.unit,
                             {},
                             false,
                             i < tiles_->count() ? tiles_->tiles()[i].picture : QImage()};
    }
    tiles_->setTiles(std::move(tiles), {TastingRow{{}, {}, 0, kPictures}},
                     isFine_ || area.isEmpty() ? kFineAspect : double(area.width()) / area.height(), kPictures);
    ask();
}

void EffectStrip::ask()
{
    if (!isVisible() || !shown_ || tiles_->count() == 0)
        return;
    QList<TasteRequest> wanted;
    const QSizeF size = tiles_->pictureSize() * devicePixelRatioF();
    const QRectF area = document_->pictureArea();
    const ViewRequest view = isFine_ ? pixelView(area, place_, size) : ViewRequest{area, size.toSize()};
    for (int i = 0; i < kPictures; ++i) {
        Recipe recipe = *shown_;
        setting_->set(recipe, valueOf(i));
        wanted << TasteRequest{QStringLiteral("effect %1 %2").arg(round_).arg(i), recipe, view.size,
                               isFine_ ? std::optional(view.region) : std::nullopt};
    }
    document_->taste(std::move(wanted));
}

void EffectStrip::take(const QString &key, const QImage &picture)
{
    const QString round = QStringLiteral("effect %1 ").arg(round_);
    if (key.startsWith(round))
        tiles_->setPicture(key.mid(round.size()), picture);
}

void EffectStrip::choose(int index)
{
    if (!setting_ || !document_->isOpen())
        return;
    Recipe next = document_->recipe();
    setting_->set(next, valueOf(index));
    document_->setRecipe(std::move(next), setting_->spec.name.toLower());
}

void EffectStrip::showEvent(QShowEvent *)
{
    refresh();
}

} // namespace yolk::app
