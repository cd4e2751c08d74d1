// What is kept beside the present settings: versions, and what is thought of the picture.
#include "document/document.h"

#include "document/view_job.h"

#include <algorithm>

namespace yolk::app {

void Document::versionsAreNew()
{
    changed();
    Q_EMIT versionsChanged();
    paintVersions();
}

void Document::keepVersion(const QString &name)
{
    if (!isOpen())
        return;
    versions_ << Version{name, recipe(), {}};
    versionsAreNew();
}

void Document::returnToVersion(int index)
{
    if (index >= 0 && index < int(versions_.size()))
        setRecipe(versions_[index].recipe, tr("return to %1").arg(versions_[index].name));
}

void Document::renameVersion(int index, const QString &name)
{
    if (index < 0 || index >= int(versions_.size()) || name.isEmpty() || name == versions_[index].name)
        return;
    versions_[index].name = name;
    versionsAreNew();
}

void Document::duplicateVersion(int index)
{
    if (index < 0 || index >= int(versions_.size()))
        return;
    Version copy = versions_[index];
    copy.name = tr("%1, again").arg(copy.name);
    versions_.insert(index + 1, copy);
    comparison_->versionsMoved(index + 1, +1);
    versionsAreNew();
}

void Document::deleteVersion(int index)
{
    if (index < 0 || index >= int(versions_.size()))
        return;
    deletedVersions_ << std::pair(index, versions_.takeAt(index));
    comparison_->versionsMoved(index, -1);
    versionsAreNew();
}

QString Document::deletedVersion() const
{
    return deletedVersions_.isEmpty() ? QString() : deletedVersions_.last().second.name;
}

void Document::bringVersionBack()
{
    if (deletedVersions_.isEmpty())
        return;
    const auto [index, version] = deletedVersions_.takeLast();
    const int at = std::min(index, int(versions_.size()));
    versions_.insert(at, version);
    comparison_->versionsMoved(at, +1);
    versionsAreNew();
}

QImage Document::versionPicture(int index) const
{
    const auto it = std::ranges::find(versionPictures_, versions_[index].recipe, &std::pair<Recipe, QImage>::first);
    return it == versionPictures_.end() ? QImage() : it->second;
}

void Document::setPaintsVersions(bool on)
{
    paintsVersions_ = on;
    if (on)
        paintVersions();
}

/// Pictures of those that have none yet, one after the other.
void Document::paintVersions()
{
    constexpr QSize kLargest(288, 192); // device pixels: 96 x 64 on a screen of up to three times the density
    if (!paintsVersions_ || !isOpen())
        return;
    std::erase_if(versionPictures_, [this](const auto &painted) {
        return std::ranges::none_of(versions_, [&](const Version &v) { return v.recipe == painted.first; });
    });
    QList<Recipe> wanted;
    for (int i = 0; i < int(versions_.size()); ++i)
        if (versionPicture(i).isNull())
            wanted << versions_[i].recipe;
    if (wanted.isEmpty())
        return;
    ViewJob job = jobFor({});
    job.reduction = previewReduction(sources_);
    const QRectF area(area_);
    using Painted = std::vector<std::pair<Recipe, QImage>>;
    auto work = [job, wanted, area, geometry = inForce(recipe(), *measured_).geometry,
                 size = area_.size().scaled(kLargest, Qt::KeepAspectRatio)](ExecContext &ctx) mutable {
        Painted out;
        for (const Recipe &recipe : wanted) {
            job.recipe = inForce(recipe, job.measured);
            job.recipe.geometry = geometry; // the area is one of its plane
            out.emplace_back(recipe, paintView(job, {area, size}, ctx));
        }
        return out;
    };
    versionLane_.start<Painted>({}, work, [this](Outcome<Painted> outcome) {
        if (!outcome.result)
            return;
        for (auto &painted : *outcome.result)
            versionPictures_.push_back(std::move(painted));
        Q_EMIT versionPicturesChanged();
        paintVersions(); // of those that came meanwhile
    });
}

void Document::setRating(int eggs)
{
    if (!isOpen() || eggs == kept_.rating || eggs < 0 || eggs > kBestRating)
        return;
    kept_.rating = eggs;
    changed();
    Q_EMIT ratingChanged();
}

void Document::setChosen(bool on)
{
    if (!isOpen() || on == kept_.chosen)
        return;
    kept_.chosen = on;
    changed();
    Q_EMIT ratingChanged();
}

} // namespace yolk::app
