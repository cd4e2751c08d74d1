#include "canvas/inspection_caption.h"

#include "colour/transfer.h"
#include "document/movement_text.h"
#include "document/screen_picture.h"
#include "recipe/sections.h"
#include "theme/theme.h"
#include "widgets/number_text.h"

#include <QCoreApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QLocale>
#include <QPainter>
#include <QToolButton>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr int kPatch = 16, kGap = 4, kBetween = 10; // logical pixels

struct Words {
    const char *name, *help;
};
constexpr std::array kWords{
    Words{QT_TRANSLATE_NOOP("Inspection", "Light"),
          QT_TRANSLATE_NOOP("Inspection", "The merged light without any tone method, under an exposure")},
    Words{QT_TRANSLATE_NOOP("Inspection", "Peek"),
          QT_TRANSLATE_NOOP("Inspection", "Only the stops of a window that is dragged along the light scale")},
    Words{QT_TRANSLATE_NOOP("Inspection", "Sources"),
          QT_TRANSLATE_NOOP("Inspection", "Which frames each pixel comes from")},
    Words{QT_TRANSLATE_NOOP("Inspection", "Noise"),
          QT_TRANSLATE_NOOP("Inspection", "How far the light of each pixel stands over its noise, in stops")},
    Words{QT_TRANSLATE_NOOP("Inspection", "Clipped"),
          QT_TRANSLATE_NOOP("Inspection", "What is clipped in every frame")},
    Words{QT_TRANSLATE_NOOP("Inspection", "Edges"),
          QT_TRANSLATE_NOOP("Inspection", "Edges of a frame over those of the reference frame: white where they meet")},
    Words{QT_TRANSLATE_NOOP("Inspection", "Movement"),
          QT_TRANSLATE_NOOP("Inspection", "Where something moved, and which frame stands there")},
    Words{QT_TRANSLATE_NOOP("Inspection", "Lights"),
          QT_TRANSLATE_NOOP("Inspection", "Where the second of two lights falls")},
    Words{QT_TRANSLATE_NOOP("Inspection", "Faint"),
          QT_TRANSLATE_NOOP("Inspection",
                            "What is slightly darker or lighter than round it: dust, and seams of mending")},
    Words{QT_TRANSLATE_NOOP("Inspection", "HDR"),
          QT_TRANSLATE_NOOP("Inspection", "What of the lights above white a screen cuts")}};

} // namespace

QString inspectionName(InspectMode mode)
{
    return QCoreApplication::translate("Inspection", kWords[size_t(mode)].name);
}

QString inspectionHelp(InspectMode mode)
{
    return QCoreApplication::translate("Inspection", kWords[size_t(mode)].help);
}

void LegendStrip::setPatches(const QList<Patch> &patches)
{
    patches_ = patches;
    setVisible(!patches.isEmpty());
    updateGeometry();
    update();
}

double LegendStrip::widthOf(const Patch &patch) const
{
    return kPatch + kGap + fontMetrics().horizontalAdvance(patch.word) + kBetween;
}

QSize LegendStrip::sizeHint() const
{
    double width = 0.0;
    for (const Patch &patch : patches_)
        width += widthOf(patch);
    return {int(std::ceil(width)), 20};
}

void LegendStrip::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    double x = 0.0;
    for (const Patch &patch : patches_) {
        const QRectF box(x, (height() - kPatch) / 2.0, kPatch, kPatch);
        QImage sample(QSize(kPatch, kPatch) * devicePixelRatioF(), QImage::Format_RGB32);
        sample.fill(patch.colour);
        if (patch.hatch != Hatch::None) {
            Image<uint8_t> hatch(sample.width(), sample.height(), 1);
            for (int y = 0; y < hatch.height(); ++y)
                std::fill_n(hatch.row(0, y), hatch.width(), uint8_t(patch.hatch));
            paintHatching(sample, hatch.view(), patch.colour, {});
        }
        painter.drawImage(box, sample);
        painter.setPen(tokens().secondary);
        painter.drawRect(box);
        painter.setPen(tokens().text);
        painter.drawText(QRectF(x + kPatch + kGap, 0, widthOf(patch), height()), Qt::AlignVCenter | Qt::AlignLeft,
                         patch.word);
        x += widthOf(patch);
    }
}

InspectionCaption::InspectionCaption(Document *document, QWidget *parent)
    : QFrame(parent), document_(document), words_(new QLabel(this)), legend_(new LegendStrip(this)),
      back_(new QToolButton(this))
{
    setObjectName(QStringLiteral("inspectionCaption"));
    setAutoFillBackground(true);
    setStyleSheet(QStringLiteral("#inspectionCaption { background: palette(alternate-base); border-radius: 6px; }"));
    legend_->setAccessibleName(tr("Legend"));
    back_->setText(tr("Show the picture"));
    back_->setToolTip(tr("Back to the picture. Esc"));
    connect(back_, &QToolButton::clicked, this, [this] { document_->inspect(std::nullopt); });
    words_->setTextFormat(Qt::PlainText);
    auto *layout = new QHBoxLayout(this);
    layout->setContentsMargins(10, 4, 8, 4);
    layout->setSpacing(12);
    layout->addWidget(words_);
    layout->addWidget(legend_);
    layout->addWidget(back_);
    connect(document, &Document::lookChanged, this, &InspectionCaption::refresh);
    connect(document, &Document::setChanged, this, &InspectionCaption::refresh);
    connect(document, &Document::mergedChanged, this, &InspectionCaption::refresh);
    hide();
}

QString InspectionCaption::text() const
{
    return isHidden() ? QString() : words_->text();
}

void InspectionCaption::refresh()
{
    const auto &look = document_->inspection();
    setVisible(look.has_value());
    if (!look)
        return;
    const MergedSet *merged = document_->merged();
    const LegendStrip::Patch clipped{document_->overlayColour(), tr("clipped in every frame"), Hatch::Clipped};
    QString words = inspectionName(look->mode);
    QList<LegendStrip::Patch> patches;
    switch (look->mode) {
    case InspectMode::Light:
        words += tr("  ·  no tone method, %1 EV").arg(signedNumber(look->exposureEv, 1));
        break;
    case InspectMode::Peek:
        words += tr("  ·  %1 to %2 EV").arg(signedNumber(look->lowEv, 1), signedNumber(look->highEv, 1));
        patches << LegendStrip::Patch{screenColour({0.02, 0.02, 0.02}), tr("darker"), Hatch::Below}
                << LegendStrip::Patch{screenColour({0.7, 0.7, 0.7}), tr("brighter"), Hatch::Above};
        break;
    case InspectMode::Sources: {
        words += tr("  ·  frame");
        const auto used = document_->bracket().used();
        for (size_t i = 0; i < used.size(); ++i)
            patches << LegendStrip::Patch{screenColour(sourceColour(int(i), int(used.size()))),
                                          QString::number(used[i]->number)};
        break;
    }
    case InspectMode::Noise:
        if (merged && !merged->noiseKnown()) {
            words += tr("  ·  this file says nothing of its noise");
            break;
        }
        words += tr("  ·  stops over noise");
        for (int stops = 0; stops <= kCleanStops; ++stops)
            patches << LegendStrip::Patch{screenColour(noiseColour(stops)),
                                          stops == kCleanStops ? tr("%1 and more").arg(stops) : QString::number(stops)};
        break;
    case InspectMode::Clipped:
        words += merged ? tr("  ·  %1 of the picture").arg(percentText(merged->clippedShare)) : QString();
        break;
    case InspectMode::Edges: {
        const Bracket &bracket = document_->bracket();
        const int reference = bracket.frames[bracket.reference].number;
        patches << LegendStrip::Patch{screenColour(kReferenceEdges), tr("frame %1, reference").arg(reference)}
                << LegendStrip::Patch{screenColour(kFrameEdges),
                                      tr("frame %1").arg(bracket.used()[edgesFrame(bracket, *look)]->number)}
                << LegendStrip::Patch{Qt::white, tr("both")};
        break;
    }
    case InspectMode::Lights:
        if (!isLampMended(inForce(document_->recipe(), document_->measured()).lamp)) {
            words += tr("  ·  no second light: pick something white in the lamp, in the Colour step");
            break;
        }
        patches << LegendStrip::Patch{screenColour(lampColour(0.0)), tr("daylight")}
                << LegendStrip::Patch{screenColour(lampColour(0.5)), tr("half")}
                << LegendStrip::Patch{screenColour(lampColour(1.0)), tr("lamp")};
        break;
    case InspectMode::Faint:
        words += tr("  ·  what differs by a few percent from what lies round it");
        break;
    case InspectMode::Hdr:
        words +=
            tr("  ·  on a screen that goes %1 stops over white").arg(QLocale().toString(look->screenStops, 'f', 1));
        patches << LegendStrip::Patch{document_->overlayColour(), tr("cut there"), Hatch::EndsWhite};
        break;
    case InspectMode::Movement:
        words += QStringLiteral("  ·  ") + (merged ? movementSummary(*merged) : QString());
        if (merged) {
            constexpr double kSeen = 0.01;
            const std::vector<double> shares = merged->movement.standingShares(merged->frameIds.size());
            for (size_t i = 0; i < shares.size(); ++i) {
                const bool taken = shares[i] >= kSeen;
                const auto number = document_->numberOf(merged->frameIds[i]);
                if (taken && number)
                    patches << LegendStrip::Patch{screenColour(sourceColour(int(i), int(merged->frameIds.size()))),
                                                  tr("frame %1").arg(*number)};
            }
        }
        break;
    }
    const bool hatched =
        look->mode == InspectMode::Sources || look->mode == InspectMode::Noise || look->mode == InspectMode::Clipped;
    if (hatched)
        patches << clipped;
    words_->setText(words);
    legend_->setPatches(patches);
    adjustSize();
}

} // namespace yolk::app
