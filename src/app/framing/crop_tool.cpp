#include "framing/crop_tool.h"

#include <QPainter>
#include <QPainterPath>

namespace yolk::app {
namespace {

/// Handles in the order in which Tab takes them: round the frame from its upper left corner.
constexpr std::array kGrips{CropGrip{-1, -1}, CropGrip{0, -1}, CropGrip{1, -1}, CropGrip{1, 0},
                            CropGrip{1, 1},   CropGrip{0, 1},  CropGrip{-1, 1}, CropGrip{-1, 0}};

RealRect cropOf(const Document &document)
{
    const QRect area = document.pictureArea();
    return {double(area.x()), double(area.y()), double(area.x() + area.width()), double(area.y() + area.height())};
}

CropGrip gripOf(int grip)
{
    return grip >= 0 && grip < int(kGrips.size()) ? kGrips[size_t(grip)] : CropGrip{};
}

} // namespace

CropTool::CropTool(Document *document, QObject *parent) : CanvasTool(parent), document_(document)
{
    connect(document, &Document::areaChanged, this, &CropTool::changed);
}

QList<QPointF> CropTool::handles() const
{
    if (!document_->isOpen())
        return {};
    const QRectF area(document_->pictureArea());
    QList<QPointF> out;
    for (const CropGrip &grip : kGrips)
        out << area.center() + QPointF(grip.across * area.width() / 2, grip.down * area.height() / 2);
    return out;
}

QString CropTool::handleName(int handle) const
{
    const CropGrip grip = gripOf(handle);
    const bool left = grip.across < 0, upper = grip.down < 0;
    if (grip.across != 0 && grip.down != 0)
        return upper ? (left ? tr("Upper left corner of the crop") : tr("Upper right corner of the crop"))
                     : (left ? tr("Lower left corner of the crop") : tr("Lower right corner of the crop"));
    if (grip.across != 0)
        return left ? tr("Left side of the crop") : tr("Right side of the crop");
    return upper ? tr("Upper side of the crop") : tr("Lower side of the crop");
}

int CropTool::gripAt(const QPointF &place, double reach) const
{
    if (!document_->isOpen())
        return kNothing;
    if (const int handle = CanvasTool::gripAt(place, reach); handle != kNothing)
        return handle;
    const QRectF area(document_->pictureArea());
    const auto within = [](double v, double low, double high) { return v > low && v < high; };
    for (int i = 1; i < int(kGrips.size()); i += 2) { // anywhere along a side
        const CropGrip grip = kGrips[size_t(i)];
        const double off = grip.across != 0 ? place.x() - (grip.across < 0 ? area.left() : area.right())
                                            : place.y() - (grip.down < 0 ? area.top() : area.bottom());
        const bool along = grip.across != 0 ? within(place.y(), area.top(), area.bottom())
                                            : within(place.x(), area.left(), area.right());
        if (along && std::abs(off) <= 0.5 * reach)
            return i;
    }
    const bool all = area.size() == QSizeF(document_->planeSize()); // then there is nowhere to move it
    return !all && area.contains(place) ? kBody : kNothing;
}

Qt::CursorShape CropTool::cursorOver(int grip) const
{
    if (grip == kNothing)
        return Qt::ArrowCursor;
    const CropGrip held = gripOf(grip);
    if (held == CropGrip{})
        return Qt::SizeAllCursor;
    if (held.down == 0)
        return Qt::SizeHorCursor;
    if (held.across == 0)
        return Qt::SizeVerCursor;
    return held.across == held.down ? Qt::SizeFDiagCursor : Qt::SizeBDiagCursor;
}

void CropTool::take(int grip, const QPointF &place)
{
    drag_ = Drag{gripOf(grip), place, cropOf(*document_), document_->recipe().geometry,
                 QStringLiteral("crop drag %1").arg(++drags_)};
}

void CropTool::dragTo(const QPointF &place)
{
    if (drag_)
        move(drag_->grip, drag_->from, drag_->settings, {place.x() - drag_->at.x(), place.y() - drag_->at.y()},
             drag_->gesture);
}

void CropTool::letGo()
{
    drag_.reset();
    Q_EMIT changed();
}

void CropTool::giveUp()
{
    if (!drag_)
        return;
    document_->setGeometry(drag_->settings, tr("crop"), drag_->gesture);
    letGo();
}

void CropTool::step(int handle, const QPointF &by)
{
    move(gripOf(handle), cropOf(*document_), document_->recipe().geometry, {by.x(), by.y()},
         QStringLiteral("crop keys %1").arg(handle));
}

void CropTool::move(CropGrip grip, const RealRect &from, const GeometrySettings &settings, Point by,
                    const QString &gesture)
{
    const QRectF f = document_->frameArea();
    document_->setGeometry(
        cropDragged(settings, from, grip, by, document_->map(), {f.left(), f.top(), f.right(), f.bottom()}), tr("crop"),
        gesture);
    Q_EMIT changed();
}

void CropTool::paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const
{
    if (!document_->isOpen())
        return;
    const QRectF plane = toDevice.mapRect(QRectF(QPointF(0, 0), document_->planeSize()));
    const QRectF area = toDevice.mapRect(QRectF(document_->pictureArea())).toAlignedRect();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing, false);
    QPainterPath outside;
    outside.addRect(plane.toAlignedRect());
    outside.addRect(area); // odd and even: what lies between both
    painter.fillPath(outside, QColor(12, 12, 12, 150));
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(QColor(20, 20, 20, 200), 3.0 * ratio));
    painter.drawRect(area);
    painter.setPen(QPen(QColor(250, 250, 248), ratio));
    painter.drawRect(area);
    painter.restore();
    QList<QPointF> eggs;
    for (const QPointF &handle : handles())
        eggs << toDevice.map(handle);
    paintHandles(painter, eggs, ratio, chosen);
    if (drag_)
        paintWords(painter, cropFacts(*document_), {area.center().x(), area.bottom() - 8.0 * ratio}, ratio);
}

QString cropFacts(const Document &document)
{
    constexpr double kPerInch = 300.0, kCentimetres = 2.54;
    const QSize plane = document.planeSize(), size = document.pictureArea().size();
    const double share = double(size.width()) * size.height() / (double(plane.width()) * plane.height());
    return CropTool::tr("%1 × %2 pixels, %3 % of the picture; %4 × %5 cm in print at 300 per inch.")
        .arg(size.width())
        .arg(size.height())
        .arg(100.0 * share, 0, 'f', 0)
        .arg(size.width() / kPerInch * kCentimetres, 0, 'f', 1)
        .arg(size.height() / kPerInch * kCentimetres, 0, 'f', 1);
}

} // namespace yolk::app
