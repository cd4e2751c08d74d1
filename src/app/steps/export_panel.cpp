#include "steps/export_panel.h"

#include "widgets/fold_group.h"

#include <QLabel>
#include <QPushButton>

namespace yolk::app {

ExportPanel::ExportPanel(Document *document, QWidget *parent) : Panel(parent), document_(document)
{
    auto *picture = new FoldGroup(tr("Finished picture"), this);
    facts_ = new QLabel(this);
    facts_->setWordWrap(true);
    picture->add(facts_);
    forEachField(kExportFields, [&](const auto &field) {
        if constexpr (requires { field.minimum; }) {
            quality_ = new ValueSlider(sliderSpec(field), this);
            connect(quality_, &ValueSlider::changed, this, [this, &field](double value, const QString &gesture) {
                Recipe next = document_->recipe();
                next.output.*field.member = value;
                document_->setRecipe(next, words(field.name), gesture);
            });
            picture->add(quality_);
        } else {
            auto *label = new QLabel(words(field.name), this);
            space_ = choiceRow(field, this);
            connect(space_, &ChoiceRow::chosen, this, [this, &field](int index) {
                Recipe next = document_->recipe();
                next.output.*field.member = field.choices[size_t(index)].value;
                document_->setRecipe(next, words(field.name));
            });
            picture->add(label);
            picture->add(space_);
        }
    });
    auto *save = new QPushButton(tr("Export picture…"), this);
    save->setToolTip(tr("Writes the picture at full size: TIFF with 16 bits, or JPEG."));
    picture->add(save);
    auto *radiance = new FoldGroup(tr("Radiance"), this);
    auto *words = new QLabel(tr("The merged light before any tone: OpenEXR, Radiance HDR or 32-bit TIFF."), this);
    words->setWordWrap(true);
    auto *saveRadiance = new QPushButton(tr("Save radiance…"), this);
    saveRadiance->setToolTip(tr("Writes the merged light as it is, for any other program."));
    radiance->add(words);
    forEachField(kRadianceFields, [&](const auto &field) {
        ChoiceRow *row = choiceRow(field, this);
        connect(row, &ChoiceRow::chosen, this, [this, &field](int index) {
            Recipe next = document_->recipe();
            next.radiance.*field.member = field.choices[size_t(index)].value;
            document_->setRecipe(next, yolk::app::words(field.name));
        });
        shown_.push_back([row, &field](const RadianceSettings &settings) {
            for (size_t i = 0; i < field.choices.size(); ++i)
                if (field.choices[i].value == settings.*field.member)
                    row->setIndex(int(i));
        });
        radiance->add(new QLabel(yolk::app::words(field.name), this));
        radiance->add(row);
    });
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
    const ExportSettings &output = document_->recipe().output;
    quality_->setStart(92.0);
    quality_->setValue(output.quality);
    for (size_t i = 0; i < kOutputSpaces.size(); ++i)
        if (kOutputSpaces[i].value == output.space)
            space_->setIndex(int(i));
    for (const auto &show : shown_)
        show(document_->recipe().radiance);
}

} // namespace yolk::app
