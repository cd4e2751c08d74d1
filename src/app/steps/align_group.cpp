#include "steps/align_group.h"

#include "widgets/panel.h"

#include <QLabel>
#include <QLocale>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

const auto &kMode = fieldOf<kAlignFields, &AlignSettings::mode>();
const auto &kModel = fieldOf<kAlignFields, &AlignSettings::model>();
const auto &kLocal = fieldOf<kAlignFields, &AlignSettings::local>();
const auto &kCrop = fieldOf<kGeometryFields, &GeometrySettings::crop>();

QString number(double value)
{
    return QLocale().toString(value, 'f', value < 9.95 ? 1 : 0);
}

/// Of the textured places of two frames, in words.
QString qualityText(const MergedSet &merged, size_t i)
{
    const Registration &r = merged.alignment[i].toReference;
    QStringList parts;
    if (r.overlap < 0.995)
        parts << AlignGroup::tr("covers %1 %").arg(std::floor(100.0 * r.overlap));
    if (merged.believed[i] < 0.995)
        parts << AlignGroup::tr("%1 % fits").arg(std::floor(100.0 * merged.believed[i]));
    parts << AlignGroup::tr("to %1 px").arg(QLocale().toString(r.residual, 'f', r.residual < 0.095 ? 2 : 1));
    return parts.join(QStringLiteral(", "));
}

} // namespace

QString motionText(const Transform &toFrame, const QSize &picture)
{
    if (toFrame.isIdentity())
        return AlignGroup::tr("lies on the reference");
    const Motion m = motionOf(toFrame, picture.width(), picture.height());
    QStringList parts;
    if (std::abs(m.right) >= 0.05)
        parts << (m.right > 0 ? AlignGroup::tr("%1 px right") : AlignGroup::tr("%1 px left"))
                     .arg(number(std::abs(m.right)));
    if (std::abs(m.down) >= 0.05)
        parts << (m.down > 0 ? AlignGroup::tr("%1 down") : AlignGroup::tr("%1 up")).arg(number(std::abs(m.down)));
    if (std::abs(m.clockwise) >= 0.005)
        parts << (m.clockwise > 0 ? AlignGroup::tr("%1° clockwise") : AlignGroup::tr("%1° anticlockwise"))
                     .arg(QLocale().toString(std::abs(m.clockwise), 'f', 2));
    if (std::abs(m.scale - 1.0) >= 0.002)
        parts << (m.scale > 1.0 ? AlignGroup::tr("%1\u00a0% larger") : AlignGroup::tr("%1\u00a0% smaller"))
                     .arg(QLocale().toString(100.0 * std::abs(m.scale - 1.0), 'f', 1));
    return parts.isEmpty() ? AlignGroup::tr("less than 0.05 px") : parts.join(QStringLiteral(", "));
}

AlignGroup::AlignGroup(Document *document, QWidget *parent)
    : FoldGroup(words(kMode.group), parent), document_(document), mode_(choiceRow(kMode, this)),
      model_(choiceRow(kModel, this, 3)), local_(choiceRow(kLocal, this)), crop_(choiceRow(kCrop, this)),
      modelName_(new QLabel(words(kModel.name), this)), localName_(new QLabel(words(kLocal.name), this)),
      motions_(new QLabel(this)), cropName_(new QLabel(words(kCrop.name), this))
{
    motions_->setTextFormat(Qt::RichText);
    motions_->setWordWrap(true);
    motions_->setToolTip(
        tr("Where the scene lies in each frame against the reference frame, at the middle of the picture. "
           "Fits: what agrees with the other frames after alignment; the rest is taken from them. "
           "To: how far single places still lie apart from the frame of the next exposure."));
    for (QWidget *widget :
         {static_cast<QWidget *>(mode_), static_cast<QWidget *>(motions_), static_cast<QWidget *>(modelName_),
          static_cast<QWidget *>(model_), static_cast<QWidget *>(localName_), static_cast<QWidget *>(local_),
          static_cast<QWidget *>(cropName_), static_cast<QWidget *>(crop_)})
        add(widget);
    connect(mode_, &ChoiceRow::chosen, this, [this](int index) {
        set([index](Recipe &r) { r.align.mode = kAlignModes[size_t(index)].value; }, kMode.group);
    });
    connect(model_, &ChoiceRow::chosen, this, [this](int index) {
        set([index](Recipe &r) { r.align.model = kModelChoices[size_t(index)].value; }, kModel.name);
    });
    connect(local_, &ChoiceRow::chosen, this, [this](int index) {
        set([index](Recipe &r) { r.align.local = kLocalModes[size_t(index)].value; }, kLocal.name);
    });
    connect(crop_, &ChoiceRow::chosen, this, [this](int index) {
        set([index](Recipe &r) { r.geometry.crop = kCropModes[size_t(index)].value; }, kCrop.name);
    });
    connect(document, &Document::bracketChanged, this, &AlignGroup::refresh);
    connect(document, &Document::recipeChanged, this, &AlignGroup::refresh);
    connect(document, &Document::mergedChanged, this, &AlignGroup::refreshMotions);
}

void AlignGroup::set(const std::function<void(Recipe &)> &change, std::string_view name)
{
    Recipe next = document_->recipe();
    change(next);
    document_->setRecipe(next, words(name).toLower());
}

void AlignGroup::refresh()
{
    const auto show = [](ChoiceRow *row, const auto &choices, auto value) {
        for (size_t i = 0; i < choices.size(); ++i)
            if (choices[i].value == value)
                row->setIndex(int(i));
    };
    const Recipe &recipe = document_->recipe();
    show(mode_, kAlignModes, recipe.align.mode);
    show(model_, kModelChoices, recipe.align.model);
    show(local_, kLocalModes, recipe.align.local);
    show(crop_, kCropModes, recipe.geometry.crop);
    // A single frame has nothing to be aligned with; off, there is nothing to choose.
    setVisible(document_->bracket().used().size() > 1);
    const bool on = recipe.align.mode == AlignMode::On;
    for (QWidget *widget :
         {static_cast<QWidget *>(modelName_), static_cast<QWidget *>(model_), static_cast<QWidget *>(localName_),
          static_cast<QWidget *>(local_), static_cast<QWidget *>(motions_)})
        widget->setVisible(on);
    refreshMotions();
}

QString AlignGroup::motions() const
{
    return motions_->text();
}

void AlignGroup::refreshMotions()
{
    const MergedSet *merged = document_->merged();
    if (!merged || merged->alignment.size() != merged->frameIds.size()) {
        motions_->setText({});
        return;
    }
    QString rows;
    for (const BracketFrame &f : document_->bracket().frames) {
        const auto at = std::ranges::find(merged->frameIds, f.frame->id) - merged->frameIds.begin();
        const size_t i = size_t(at);
        QString text;
        if (f.astray)
            text = f.used ? tr("cannot be aligned, merged as shot") : tr("cannot be aligned, left out");
        else if (i >= merged->frameIds.size())
            continue;
        else if (f.number == document_->bracket().frames[document_->bracket().reference].number)
            text = tr("reference");
        else {
            text = motionText(merged->alignment[i].toReference.transform, document_->pictureSize());
            if (!merged->alignment[i].toReference.transform.isIdentity())
                text += QStringLiteral("<br><span style='font-size: 12px'>%1</span>").arg(qualityText(*merged, i));
        }
        rows +=
            QStringLiteral("<tr><td style='padding-right: 8px'><b>%1</b></td><td>%2</td></tr>").arg(f.number).arg(text);
    }
    motions_->setText(QStringLiteral("<table cellspacing='0' cellpadding='1'>%1</table>").arg(rows));
}

} // namespace yolk::app
