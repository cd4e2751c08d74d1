#include "steps/export_panel.h"

#include "widgets/fold_group.h"

#include <QLabel>
#include <QPushButton>

namespace yolk::app {

ExportPanel::ExportPanel(Document *document, QWidget *parent)
    : Panel(parent), document_(document), controls_(new FieldControls(document, this))
{
    auto *picture = new FoldGroup(tr("Finished picture"), this);
    facts_ = new QLabel(this);
    facts_->setWordWrap(true);
    picture->add(facts_);
    const auto addControls = [this](FoldGroup *group) {
        return [this, group](const auto &section) {
            forEachField(*section.fields, [&](const auto &field) {
                QWidget *control = controls_->make(section, field);
                if constexpr (IsChoice<std::remove_cvref_t<decltype(field)>>)
                    group->add(new QLabel(words(field.name), this));
                group->add(control);
            });
        };
    };
    forSectionsOf<&Recipe::output>(addControls(picture));
    auto *save = new QPushButton(tr("Export picture…"), this);
    save->setToolTip(tr("Writes the picture at full size: TIFF with 16 bits, or JPEG."));
    picture->add(save);
    auto *radiance = new FoldGroup(tr("Radiance"), this);
    auto *what = new QLabel(tr("The merged light before any tone: OpenEXR, Radiance HDR or 32-bit TIFF."), this);
    what->setWordWrap(true);
    auto *saveRadiance = new QPushButton(tr("Save radiance…"), this);
    saveRadiance->setToolTip(tr("Writes the merged light as it is, for any other program."));
    radiance->add(what);
    forSectionsOf<&Recipe::radiance>(addControls(radiance));
    radiance->add(saveRadiance);
    add(picture);
    add(radiance);
    addStretch();
    connect(save, &QPushButton::clicked, this, &ExportPanel::exportAsked);
    connect(saveRadiance, &QPushButton::clicked, this, &ExportPanel::radianceAsked);
    connect(document, &Document::recipeChanged, this, &ExportPanel::refresh);
}

void ExportPanel::refresh()
{
    const QSize size = document_->pictureArea().size();
    facts_->setText(tr("%1 × %2 pixels, with the reference frame's metadata.").arg(size.width()).arg(size.height()));
}

} // namespace yolk::app
