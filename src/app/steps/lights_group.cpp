#include "steps/lights_group.h"

#include "canvas/inspection_caption.h"
#include "document/screen_picture.h"
#include "frames/light_mixture.h"
#include "widgets/panel.h"

#include <QHBoxLayout>
#include <QPainter>
#include <QPushButton>

#include <algorithm>

namespace yolk::app {
namespace {

constexpr int kSwatch = 14, kBeside = 4; // logical pixels

/// A light as it would look beside white; empty without one.
QIcon swatchOf(const std::optional<WhitePoint> &light, double scale)
{
    QPixmap out(QSize(kSwatch + kBeside, kSwatch) * scale);
    out.setDevicePixelRatio(scale);
    out.fill(Qt::transparent);
    QPainter painter(&out);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(QColor(0x24, 0x23, 0x21));
    if (light) {
        Vector3 rgb = inverse(rgbToXyz(kRec709)) * xyzOf(chromaticityOf(*light));
        const double most = std::ranges::max(rgb);
        for (double &v : rgb)
            v = std::max(0.0, v / most);
        painter.setBrush(screenColour(rgb));
    }
    painter.drawEllipse(QRectF(1.5, 0.5, kSwatch - 3.0, kSwatch - 1.0)); // an egg, upright
    return out;
}

} // namespace

LightsGroup::LightsGroup(Document *document, QWidget *parent)
    : AdjustmentGroup(document, Step::Colour, fieldOf<kLampFields, &LampSettings::strength>().group, parent),
      day_(new QPushButton(tr("Pick daylight"), this)), lamp_(new QPushButton(tr("Pick lamp"), this)),
      where_(new QPushButton(tr("Where"), this))
{
    day_->setToolTip(tr("Then click something grey or white that daylight falls on: it becomes neutral. W"));
    lamp_->setToolTip(tr("Then click something grey or white that the lamp lights: it becomes neutral. Shift+W"));
    where_->setToolTip(inspectionHelp(InspectMode::Lights) + tr(". K"));
    auto *picks = new QWidget(this);
    auto *row = new QHBoxLayout(picks);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    for (QPushButton *button : {day_, lamp_, where_})
        button->setCheckable(true);
    for (QPushButton *button : {day_, lamp_})
        button->setIconSize({kSwatch + kBeside, kSwatch});
    row->addWidget(day_);
    row->addWidget(lamp_);
    add(picks);
    add(where_);
    connect(day_, &QPushButton::clicked, this, &LightsGroup::dayAsked);
    connect(lamp_, &QPushButton::clicked, this, &LightsGroup::lampAsked);
    connect(where_, &QPushButton::clicked, this, [this](bool on) {
        if (this->document()->isOpen())
            this->document()->inspect(on ? std::optional(Inspection{.mode = InspectMode::Lights}) : std::nullopt);
    });
    connect(document, &Document::recipeChanged, this, &LightsGroup::refreshLights);
    connect(document, &Document::lookChanged, this, &LightsGroup::refreshLights);
    refreshLights();
}

void LightsGroup::refreshLights()
{
    if (!document()->isOpen())
        return;
    const auto &look = document()->inspection();
    where_->setChecked(look && look->mode == InspectMode::Lights);
    const LampSettings &lamp = document()->recipe().lamp;
    day_->setIcon(swatchOf(document()->white(), devicePixelRatioF()));
    const std::optional<WhitePoint> light{{lamp.temperature, lamp.tint}};
    lamp_->setIcon(swatchOf(isLampMended(lamp) ? light : std::nullopt, devicePixelRatioF()));
}

} // namespace yolk::app
