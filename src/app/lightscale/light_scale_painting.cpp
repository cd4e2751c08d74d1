// How the light scale looks.
#include "document/screen_picture.h"
#include "lightscale/light_scale_p.h"
#include "theme/theme.h"
#include "widgets/number_text.h"

#include <QPainter>
#include <QPainterPath>
#include <QPaintEvent>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr double kEggHeight = 16.0;

QString exposureText(const BracketFrame &f)
{
    const QString shutter = shutterText(f.frame->metadata);
    return shutter.isEmpty() ? evText(f.ev) : shutter;
}

/// Without the points that lie a tenth of a pixel or less beside the line between those that stay: stroking costs by
/// the point, and the curve is stroked at every move of a slider.
QPolygonF thinned(const QPolygonF &points)
{
    constexpr double kBeside = 0.1;
    if (points.isEmpty())
        return points;
    QPolygonF out{points.front()};
    qsizetype from = 0;
    for (qsizetype to = 2; to < points.size(); ++to) {
        const QPointF way = points[to] - points[from];
        const double length = std::hypot(way.x(), way.y());
        bool straight = true;
        for (qsizetype i = from + 1; i < to && straight; ++i) {
            const QPointF off = points[i] - points[from];
            straight = std::abs(way.x() * off.y() - way.y() * off.x()) <= kBeside * length;
        }
        if (straight)
            continue;
        from = to - 1;
        out << points[from];
    }
    return out << points.back();
}

} // namespace

QRect LightScale::outputPart() const
{
    const QRectF box = outputBox();
    return box.isEmpty() ? QRect() : QRect(int(box.left()) - 2, 1, width() - int(box.left()) + 2, height() - 1);
}

void LightScale::paintEvent(QPaintEvent *event)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), tokens().chrome);
    painter.fillRect(QRectF(0, 0, width(), 1), tokens().line);
    paintWords(painter);
    if (!document_->isOpen()) {
        paintAxis(painter);
        return;
    }
    if (event->region().intersects(outputPart()))
        paintOutput(painter);
    if (outputPart().contains(event->rect())) // while a slider moves
        return;
    paintHistogram(painter);
    paintLimits(painter);
    paintAxis(painter);
    paintBars(painter);
    if (isPeeking())
        paintPeek(painter);
    else if (showsTone())
        paintCurve(painter);
    paintSpan(painter);
    paintProbe(painter);
}

/// How often the picture has which code value: luminance as a hill, the channels as lines over it.
void LightScale::paintOutput(QPainter &painter) const
{
    const QRectF box = outputBox();
    const OutputHistogram *output = document_->outputHistogram();
    if (box.isEmpty() || !output)
        return;
    QFont small = font();
    small.setPixelSize(11);
    painter.setFont(small);
    painter.setPen(tokens().secondary);
    painter.drawText(QRectF(box.left(), kTop - 2, box.width(), 18), Qt::AlignLeft | Qt::AlignVCenter, tr("Picture"));
    painter.drawLine(QPointF(box.left(), box.bottom() + 0.5), QPointF(box.right(), box.bottom() + 0.5));
    const QRectF under(box.left(), box.bottom() + 4, box.width(), 16);
    painter.drawText(under, Qt::AlignLeft | Qt::AlignVCenter, tr("black %1").arg(percentText(output->black)));
    painter.drawText(under, Qt::AlignRight | Qt::AlignVCenter, tr("white %1").arg(percentText(output->white)));
    float most = 1e-6f;
    for (const auto &shares : output->shares) // the ends would flatten all that lies between them
        most = std::max(most, *std::max_element(shares.begin() + 1, shares.end() - 1));
    const auto outline = [&](const std::array<float, 256> &shares) {
        QPolygonF out;
        constexpr int kTogether = 2; // codes: single ones are noise
        for (int code = 0; code < 256; code += kTogether) {
            const double share = 0.5 * double(shares[size_t(code)] + shares[size_t(code) + 1]);
            const double height = std::sqrt(std::min(share / double(most), 1.0)) * (box.height() - 2); // as the scene's
            out << QPointF(box.left() + (code + 1) / 256.0 * box.width(), box.bottom() - height);
        }
        return out;
    };
    painter.save();
    QPolygonF hill = outline(output->shares[OutputHistogram::kLuminance]);
    hill.prepend(QPointF(hill.front().x(), box.bottom()));
    hill.append(QPointF(hill.back().x(), box.bottom()));
    painter.setPen(Qt::NoPen);
    painter.setBrush(tokens().histogram);
    painter.setOpacity(0.75);
    painter.drawPolygon(hill);
    painter.setOpacity(0.8);
    painter.setBrush(Qt::NoBrush);
    const bool dark = tokens().dark;
    const std::array colours{dark ? QColor(226, 120, 108) : QColor(178, 58, 48),
                             dark ? QColor(120, 190, 130) : QColor(44, 120, 62),
                             dark ? QColor(124, 152, 232) : QColor(52, 84, 176)};
    for (size_t c = 0; c < colours.size(); ++c) {
        painter.setPen(QPen(colours[c], 1.0)); // wider lines are filled as shapes
        painter.drawPolyline(outline(output->shares[c]));
    }
    painter.restore();
}

void LightScale::paintWords(QPainter &painter) const
{
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    painter.setFont(bold);
    painter.setPen(tokens().text);
    painter.drawText(QPointF(16, kTop + 13), tr("Light scale"));
    QFont small = font();
    small.setPixelSize(12);
    painter.setFont(small);
    painter.setPen(tokens().secondary);
    const QRectF room(16, kTop + 22, kLeft - 36, height() - kTop - 26);
    painter.drawText(room, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, sentence());
}

void LightScale::paintAxis(QPainter &painter) const
{
    const QRectF p = plot();
    QFont small = font();
    small.setPixelSize(11);
    painter.setFont(small);
    painter.setPen(QPen(tokens().secondary, 1));
    painter.drawLine(QPointF(p.left(), p.bottom() + 0.5), QPointF(p.right(), p.bottom() + 0.5));
    const double perEv = p.width() / (lastEv_ - firstEv_);
    const int step = perEv * 2 > 34 ? 2 : 4; // labels never touch
    for (int ev = int(std::ceil(firstEv_)); ev <= int(lastEv_); ++ev) {
        const double x = std::floor(xOfEv(ev)) + 0.5;
        const bool labelled = ev % step == 0;
        painter.setPen(QPen(tokens().secondary, 1));
        painter.drawLine(QPointF(x, p.bottom()), QPointF(x, p.bottom() + (labelled ? 5 : 3)));
        if (!labelled)
            continue;
        painter.setPen(ev == 0 ? tokens().text : tokens().secondary);
        painter.drawText(QRectF(x - 30, p.bottom() + 4, 60, 16), Qt::AlignCenter,
                         ev == 0 ? tr("0 EV") : signedNumber(ev, 0));
    }
}

void LightScale::paintLimits(QPainter &painter) const
{
    double noise = 1e9, clip = -1e9;
    for (const BracketFrame *f : document_->bracket().used()) {
        noise = std::min(noise, floorEv(*f, 1.0));
        clip = std::max(clip, headEv(*f));
    }
    const QRectF area = curveArea();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    for (const auto &[from, to] : {std::pair(firstEv_, noise), std::pair(clip, lastEv_)}) {
        const QRectF part(QPointF(xOfEv(from), area.top()), QPointF(xOfEv(to), area.bottom()));
        painter.setClipRect(part);
        painter.setPen(QPen(tokens().secondary, 1));
        for (double x = part.left() - area.height(); x < part.right(); x += 6)
            painter.drawLine(QPointF(x, area.bottom()), QPointF(x + area.height(), area.top()));
    }
    painter.restore();
}

void LightScale::paintHistogram(QPainter &painter) const
{
    const SceneHistogram *histogram = document_->histogram();
    if (!histogram)
        return;
    float most = 1e-6f;
    for (int bin = 1; bin + 1 < SceneHistogram::kBins; ++bin) // the ends hold all that lies beyond
        most = std::max(most, histogram->shares[size_t(bin)]);
    QColor hill = tokens().histogram;
    hill.setAlphaF(0.75f);
    paintHill(painter, *histogram, double(most), hill);
    const Areas *areas = document_->areas();
    if (const SceneHistogram *own = areas->isShown() ? areas->histogram() : nullptr) // in front of it
        paintHill(painter, *own, double(most), QBrush(document_->overlayColour(), Qt::BDiagPattern));
}

void LightScale::paintHill(QPainter &painter, const SceneHistogram &of, double most, const QBrush &brush) const
{
    const QRectF area = curveArea();
    QPainterPath path(QPointF(area.left(), area.bottom()));
    for (int bin = 0; bin < SceneHistogram::kBins; ++bin) {
        const double x = xOfEv(SceneHistogram::kFirstEv + (bin + 0.5) * SceneHistogram::kBinEv);
        if (x < area.left() || x > area.right())
            continue;
        // Root of the share: a bright doorway is a small part of a picture and must still be seen.
        const double share = std::sqrt(std::min(double(of.shares[size_t(bin)]), most) / most);
        path.lineTo(x, area.bottom() - 0.78 * share * area.height());
    }
    path.lineTo(area.right(), area.bottom());
    painter.setPen(Qt::NoPen);
    painter.setBrush(brush);
    painter.drawPath(path);
}

void LightScale::paintBars(QPainter &painter) const
{
    const auto &frames = document_->bracket().frames;
    const double pitch = barPitch();
    const double right = outputBox().isEmpty() ? width() - 6.0 : outputBox().left() - 8.0;
    const bool showsSources = document_->inspection() && document_->inspection()->mode == InspectMode::Sources;
    int usedBefore = 0;
    const bool labelled = pitch >= 7.0; // up to nine frames
    QFont small = font();
    small.setPixelSize(pitch >= 9.0 ? 11 : 10);
    painter.setFont(small);
    struct Words {
        QRectF at;
        QString text;
        bool used;
        int rank; ///< who has room first
    };
    std::vector<Words> words;
    for (size_t i = 0; i < frames.size(); ++i) {
        const BracketFrame &f = frames[i];
        const double y = plot().top() + pitch * (double(i) + 0.5);
        const bool hovered = int(i) == hoveredBar_, looked = document_->lookedAt() == i;
        const double thickness = std::min(4.0, pitch * 0.5) + (hovered || looked ? 1.5 : 0.0);
        const double dark = std::max(plot().left(), xOfEv(floorEv(f, 1.0))), clean = xOfEv(floorEv(f, 10.0));
        if (!f.usable)
            continue;
        const QString reference = i == document_->bracket().reference ? tr(" · reference") : QString();
        const QString text = QStringLiteral("%1  %2%3").arg(f.number).arg(exposureText(f), reference);
        // Thumbnail and words stay within the window.
        const double room = labelled ? 1.5 * pitch + 13 + painter.fontMetrics().horizontalAdvance(text) : 4;
        const double head = std::min(xOfEv(headEv(f)), right - room);
        QColor solid = tokens().bars;
        if (showsSources && f.used)
            solid = screenColour(sourceColour(usedBefore++, int(document_->bracket().used().size())));
        QColor faint = solid;
        faint.setAlphaF(0.06f);
        if (!f.used)
            solid.setAlphaF(0.25f);
        QLinearGradient gradient(QPointF(dark, 0), QPointF(std::max(clean, dark + 1), 0));
        gradient.setColorAt(0, faint);
        gradient.setColorAt(1, solid);
        painter.setPen(Qt::NoPen);
        painter.setBrush(gradient);
        painter.drawRoundedRect(QRectF(QPointF(dark, y - thickness / 2), QPointF(head, y + thickness / 2)), 2, 2);
        double x = head + 4;
        if (const QImage image = document_->thumbnail(f.frame->id); labelled && !image.isNull()) {
            const double h = std::min(pitch - 0.4, 10.0), w = h * 1.5;
            const double shown = std::min(image.width() / 1.5, double(image.height())); // the middle, cropped to 3:2
            const QRectF part(QPointF((image.width() - 1.5 * shown) / 2, (image.height() - shown) / 2),
                              QSizeF(1.5 * shown, shown));
            painter.setOpacity(f.used ? 1.0 : 0.4);
            painter.setRenderHint(QPainter::SmoothPixmapTransform);
            painter.drawImage(QRectF(x, y - h / 2, w, h), image, part);
            painter.setOpacity(1.0);
            x += w + 5;
        }
        constexpr double kDigits = 9.0; // their height
        const int rank = hovered || looked ? 0 : i == document_->bracket().reference ? 1 : 2;
        words.push_back(
            {QRectF(x, y - kDigits / 2, painter.fontMetrics().horizontalAdvance(text), kDigits), text, f.used, rank});
    }
    if (!labelled)
        return;
    // Where frames lie close together not all words have room; those under the pointer always do.
    std::ranges::stable_sort(words, {}, &Words::rank);
    std::vector<QRectF> taken;
    for (const Words &w : words) {
        if (std::ranges::any_of(taken, [&](const QRectF &other) { return other.intersects(w.at); }))
            continue;
        taken.push_back(w.at);
        const QPointF from(w.at.left(), w.at.center().y() + 3.6);
        QPainterPath letters;
        letters.addText(from, small, w.text);
        painter.strokePath(letters, QPen(tokens().chrome, 3)); // a halo keeps them apart from the bar above
        painter.setPen(w.used ? tokens().text : tokens().secondary);
        painter.drawText(from, w.text);
    }
}

void LightScale::paintCurve(QPainter &painter) const
{
    const QRectF area = curveArea();
    QPolygonF curve;
    for (double x = area.left(); x <= area.right() + 0.5; x += 3) {
        const double ev = firstEv_ + (x - area.left()) / area.width() * (lastEv_ - firstEv_);
        curve << QPointF(x, yOfLightness(document_->lightnessAt(ev)));
    }
    curve = thinned(curve);
    painter.setPen(QPen(tokens().chrome, 4)); // a halo keeps the line apart from the histogram
    painter.drawPolyline(curve);
    painter.setPen(QPen(tokens().text, 1.6));
    painter.drawPolyline(curve);
    for (int zone = 0; zone < int(kZones.size()); ++zone) {
        const bool live = zone == current_ && (dragging_ || hasFocus());
        const bool large = live || zone == hovered_;
        const QPointF at = handlePosition(zone);
        paintEgg(painter, at, large ? kEggHeight + 2 : kEggHeight, live, false);
        if (!large || (probe_ && !dragging_)) // the pixel under the pointer has the word
            continue;
        const double value = document_->recipe().tone.*kZones[size_t(zone)];
        const QString words = zoneName(zone) + QStringLiteral("  ") + signedNumber(value, 0);
        QFont small = font();
        small.setPixelSize(12);
        small.setWeight(QFont::DemiBold);
        painter.setFont(small);
        const double w = painter.fontMetrics().horizontalAdvance(words) + 12;
        const bool below = at.y() - 30 < plot().top();
        const double x = std::clamp(at.x() - w / 2, area.left(), area.right() - w);
        const QRectF box(x, below ? at.y() + 11 : at.y() - 29, w, 18);
        painter.setPen(Qt::NoPen);
        painter.setBrush(tokens().field);
        painter.drawRoundedRect(box, 4, 4);
        painter.setPen(tokens().text);
        painter.drawText(box, Qt::AlignCenter, words);
    }
}

void LightScale::paintProbe(QPainter &painter) const
{
    if (!probe_)
        return;
    const QRectF p = plot();
    const double x = std::clamp(xOfEv(probe_->ev), p.left(), p.right());
    painter.setPen(QPen(tokens().text, 1, Qt::DashLine));
    painter.drawLine(QPointF(x, p.top()), QPointF(x, p.bottom()));
    QString words = tr("%1 EV").arg(signedNumber(probe_->ev, 1));
    if (probe_->clipped)
        words += tr(" · clipped in every frame");
    else if (!probe_->shares.empty()) {
        QStringList parts;
        for (size_t i = 0; i < std::min<size_t>(3, probe_->shares.size()); ++i)
            parts << tr("%1: %2 %").arg(probe_->shares[i].first).arg(std::lround(100 * probe_->shares[i].second));
        words += tr(" · frame ") + parts.join(QStringLiteral(", "));
    }
    QFont small = font();
    small.setPixelSize(12);
    painter.setFont(small);
    const double w = painter.fontMetrics().horizontalAdvance(words) + 14;
    const double left = x + 8 + w < p.right() ? x + 8 : x - 8 - w;
    QRectF box;
    for (const double y : {curveArea().top() + 2, p.bottom() - 22, p.top() + 2}) { // where it covers no handle
        box = QRectF(left, y, w, 19);
        bool covers = false;
        for (int zone = 0; zone < int(kZones.size()); ++zone)
            covers = covers || box.adjusted(-9, -11, 9, 11).contains(handlePosition(zone));
        if (!covers)
            break;
    }
    painter.setPen(Qt::NoPen);
    painter.setBrush(tokens().field);
    painter.drawRoundedRect(box, 4, 4);
    painter.setPen(tokens().text);
    painter.drawText(box, Qt::AlignCenter, words);
}

} // namespace yolk::app
