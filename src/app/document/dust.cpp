#include "document/dust.h"

#include "document/document.h"
#include "render/stages/dust_stage.h"

#include <QJsonArray>
#include <QJsonDocument>
#include <QJsonObject>
#include <QSettings>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

const QString kKnownSetting = QStringLiteral("dust/known"); // texts of JSON, the newest last
constexpr size_t kMostKnown = 30;                           // days and cameras

bool isSamePlace(const DustSpot &a, const DustSpot &b)
{
    return std::hypot(a.x - b.x, a.y - b.y) < std::max(a.radius, b.radius);
}

bool holds(const SharedList<DustSpot> &dust, const DustSpot &spot)
{
    return std::any_of(dust.begin(), dust.end(), [&](const DustSpot &known) { return isSamePlace(known, spot); });
}

} // namespace

Dust::Dust(Document *document) : QObject(document), document_(document), lane_(Lane::Policy::CancelRunning, this)
{
    for (const QString &text : QSettings().value(kKnownSetting).toStringList()) {
        const QJsonObject object = QJsonDocument::fromJson(text.toUtf8()).object();
        Known known{object["camera"].toString().toStdString(),
                    object["day"].toString().toStdString(),
                    object["width"].toInt(),
                    object["height"].toInt(),
                    object["f_number"].toDouble(),
                    {}};
        for (const QJsonValue &spot : object["spots"].toArray())
            if (const double radius = spot["radius"].toDouble(); radius > 0.0 && known.spots.size() < kMostDust)
                known.spots.push_back({.x = spot["x"].toDouble(),
                                       .y = spot["y"].toDouble(),
                                       .radius = radius,
                                       .depth = std::clamp(spot["depth"].toDouble(), 0.0, 0.9)});
        known_.push_back(std::move(known));
    }
    connect(document, &Document::recipeChanged, this, &Dust::recipeChanged);
    connect(document, &Document::setChanged, this, [this] {
        lane_.discard();
        proposed_.clear();
        seen_ = taken();
        proposeKnown();
        Q_EMIT changed();
    });
}

const SharedList<DustSpot> &Dust::taken() const
{
    static const SharedList<DustSpot> none;
    return document_->isOpen() ? document_->recipe().mend.dust : none;
}

void Dust::recipeChanged()
{
    if (taken() == seen_)
        return;
    seen_ = taken();
    remember();
    std::erase_if(proposed_, [&](const DustSpot &spot) { return holds(seen_, spot); });
    Q_EMIT changed();
}

void Dust::look()
{
    if (!document_->isOpen())
        return;
    auto work = [sources = document_->sources(), measured = document_->measured(), recipe = document_->recipe()](
                    ExecContext &ctx) { return dustOf(RenderPlan(sources, measured, recipe), ctx); };
    lane_.start<std::vector<FoundDust>>(tr("Looking for dust"), work, [this](Outcome<std::vector<FoundDust>> outcome) {
        if (!outcome.error.isEmpty())
            Q_EMIT document_->failed(outcome.error);
        if (outcome.result) {
            proposed_.clear();
            for (const FoundDust &found : *outcome.result)
                if (!holds(taken(), found.spot))
                    proposed_.push_back(found.spot);
            isFromOther_ = false;
            if (proposed_.empty())
                Q_EMIT document_->remarked(taken().empty() ? tr("No dust was found.") : tr("No more dust was found."));
        }
        Q_EMIT changed();
    });
    Q_EMIT changed();
}

void Dust::setTaken(std::vector<DustSpot> dust, const QString &what, const QString &gesture)
{
    Recipe next = document_->recipe();
    dust.resize(std::min(dust.size(), kMostDust));
    next.mend.dust = std::move(dust);
    document_->setRecipe(std::move(next), what, gesture);
}

void Dust::take(size_t proposal)
{
    if (proposal >= proposed_.size())
        return;
    std::vector<DustSpot> dust = taken().all();
    dust.push_back(proposed_[proposal]);
    setTaken(std::move(dust), tr("dust"));
}

void Dust::takeAll()
{
    std::vector<DustSpot> dust = taken().all();
    dust.insert(dust.end(), proposed_.begin(), proposed_.end());
    setTaken(std::move(dust), tr("all dust"));
}

void Dust::refuse(size_t proposal)
{
    if (proposal >= proposed_.size())
        return;
    proposed_.erase(proposed_.begin() + ptrdiff_t(proposal));
    Q_EMIT changed();
}

void Dust::refuseAll()
{
    proposed_.clear();
    Q_EMIT changed();
}

void Dust::set(size_t index, DustSpot spot, const QString &what, const QString &gesture)
{
    std::vector<DustSpot> dust = taken().all();
    if (index >= dust.size())
        return;
    dust[index] = spot;
    setTaken(std::move(dust), what, gesture);
}

void Dust::remove(size_t index)
{
    std::vector<DustSpot> dust = taken().all();
    if (index >= dust.size())
        return;
    dust.erase(dust.begin() + ptrdiff_t(index));
    setTaken(std::move(dust), tr("remove dust %1").arg(index + 1));
}

std::optional<Dust::Known> Dust::here() const
{
    if (!document_->isOpen())
        return std::nullopt;
    const Bracket &bracket = document_->bracket();
    const Frame &frame = *bracket.frames[bracket.reference].frame;
    constexpr size_t kDay = 10; // characters of "2026:05:01 06:12:00"
    if (frame.metadata.camera.empty() || frame.metadata.dateTime.size() < kDay)
        return std::nullopt;
    return Known{frame.metadata.camera, frame.metadata.dateTime.substr(0, kDay), frame.width,
                 frame.height,          frame.metadata.fNumber.value_or(0.0),    {}};
}

void Dust::remember()
{
    std::optional<Known> now = here();
    if (!now)
        return;
    std::erase_if(known_, [&](const Known &k) {
        return k.camera == now->camera && k.day == now->day && k.width == now->width && k.height == now->height;
    });
    for (const DustSpot &spot : taken())
        if (spot.on)
            now->spots.push_back(spot);
    if (!now->spots.empty())
        known_.push_back(std::move(*now));
    if (known_.size() > kMostKnown)
        known_.erase(known_.begin());
    QStringList texts;
    for (const Known &known : known_) {
        QJsonArray spots;
        for (const DustSpot &spot : known.spots)
            spots.append(QJsonObject{{"x", spot.x}, {"y", spot.y}, {"radius", spot.radius}, {"depth", spot.depth}});
        const QJsonObject object{{"camera", QString::fromStdString(known.camera)},
                                 {"day", QString::fromStdString(known.day)},
                                 {"width", known.width},
                                 {"height", known.height},
                                 {"f_number", known.fNumber},
                                 {"spots", spots}};
        texts << QString::fromUtf8(QJsonDocument(object).toJson(QJsonDocument::Compact));
    }
    QSettings().setValue(kKnownSetting, texts);
}

void Dust::proposeKnown()
{
    isFromOther_ = false;
    const std::optional<Known> now = here();
    if (!now)
        return;
    for (const Known &k : known_)
        if (k.camera == now->camera && k.day == now->day && k.width == now->width && k.height == now->height)
            for (const DustSpot &spot : k.spots)
                if (!holds(taken(), spot)) {
                    proposed_.push_back(spot);
                    if (!(k.fNumber > 0.0) || k.fNumber != now->fNumber)
                        proposed_.back().depth = 0.0; // another shadow
                    isFromOther_ = true;
                }
}

} // namespace yolk::app
