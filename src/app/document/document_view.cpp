// What the canvas shows: the picture, a frame, an inspection, and what they are held against. Changes no setting.
#include "document/document.h"

#include "widgets/number_text.h"

#include <QFileInfo>

#include <algorithm>
#include <utility>

namespace yolk::app {
namespace {

constexpr int kEndsMilliseconds = 900; // that clipping stays after whites or blacks were moved

} // namespace

void Document::stepLook(int direction)
{
    if (!isOpen())
        return;
    const auto now = lookedAt();
    const ptrdiff_t last = ptrdiff_t(bracket_->frames.size()) - 1;
    const ptrdiff_t from = now ? ptrdiff_t(*now) + direction : ptrdiff_t(bracket_->reference);
    lookAt(size_t(std::clamp<ptrdiff_t>(from, 0, last)));
}

void Document::lookAt(std::optional<size_t> index)
{
    const std::string id =
        index && isOpen() && *index < bracket_->frames.size() ? bracket_->frames[*index].frame->id : std::string();
    if (id == lookedAt_ && !inspection_)
        return;
    lookedAt_ = id;
    inspection_.reset();
    viewIsNew();
}

void Document::inspect(std::optional<Inspection> inspection)
{
    if (!isOpen() || (inspection == inspection_ && lookedAt_.empty()))
        return;
    // Between moves of the same kind what is under way may finish: a drag must show on its way.
    const bool sameKind = inspection && inspection_ && inspection->mode == inspection_->mode;
    inspection_ = inspection;
    if (inspection)
        lastInspection_ = *inspection;
    lookedAt_.clear();
    if (!sameKind)
        return viewIsNew();
    Q_EMIT lookChanged();
    renderView();
}

Inspection Document::lastInspection(InspectMode mode) const
{
    Inspection out = lastInspection_;
    out.mode = mode;
    return out;
}

std::optional<size_t> Document::lookedAt() const
{
    if (!lookedAt_.empty())
        for (size_t i = 0; i < bracket_->frames.size(); ++i)
            if (bracket_->frames[i].frame->id == lookedAt_)
                return i;
    return std::nullopt;
}

void Document::setOverlayColour(const QColor &colour)
{
    overlay_ = colour;
    Q_EMIT lookChanged();
    renderView();
}

void Document::setEnds(std::optional<EndsOf> ends)
{
    if (ends == ends_)
        return;
    ends_ = ends;
    Q_EMIT lookChanged();
    renderView();
}

void Document::showReach(std::optional<std::array<Recipe, 2>> reach)
{
    if (!isOpen() || (!reach && !reach_))
        return;
    reach_ = std::move(reach);
    renderView();
}

void Document::showEndsBriefly()
{
    if (!endsWhileDragging_)
        return;
    const bool already = shownEnds().has_value();
    endsTimer_.start(kEndsMilliseconds);
    if (!already)
        Q_EMIT lookChanged();
}

std::optional<EndsOf> Document::shownEnds() const
{
    const bool picture = lookedAt_.empty() && !inspection_;
    if (!isOpen() || !picture)
        return std::nullopt;
    return ends_ ? ends_ : endsTimer_.isActive() ? std::optional(EndsOf::Any) : std::nullopt;
}

void Document::setMonitor(std::shared_ptr<const MonitorProfile> monitor)
{
    monitor_ = std::move(monitor);
    proof_.reset();
    viewIsNew();
}

void Document::setProofing(bool on)
{
    proofing_ = on;
    viewIsNew();
}

void Document::viewIsNew()
{
    discardViews();
    Q_EMIT lookChanged();
    renderOn(viewLane_, ViewEffort::Whole);
}

QString Document::nameOf(const ViewSource &source) const
{
    const auto frameName = [this](const BracketFrame &f) {
        const QString shutter = shutterText(f.frame->metadata);
        return tr("Frame %1").arg(f.number) + (shutter.isEmpty() ? QString() : QStringLiteral("  ") + shutter);
    };
    switch (source.kind) {
    case ViewSource::Kind::Picture:
        return tr("Picture");
    case ViewSource::Kind::MiddleFrame:
        return tr("Middle frame");
    case ViewSource::Kind::Frame:
        if (isOpen())
            for (const BracketFrame &f : bracket_->frames)
                if (f.frame->id == source.frame)
                    return frameName(f);
        return tr("Frame");
    case ViewSource::Kind::PlainMerge:
        return tr("Plain merge");
    case ViewSource::Kind::Opening:
        return tr("As opened");
    case ViewSource::Kind::Unmended:
        return tr("Unmended");
    case ViewSource::Kind::Version:
        return source.version < int(versions_.size()) ? versions_[source.version].name : tr("Version");
    case ViewSource::Kind::File:
        return QFileInfo(QString::fromStdString(source.file)).fileName();
    }
    return {};
}

bool Document::isComparing() const
{
    return isOpen() && comparison_->way() != CompareWay::Off && !comparison_->held() && lookedAt_.empty();
}

} // namespace yolk::app
