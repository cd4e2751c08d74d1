#include "steps/lens_group.h"

#include "widgets/panel.h"

#include <QLabel>
#include <QLocale>

#include <algorithm>

namespace yolk::app {
namespace {

const auto &kFringes = fieldOf<kPrepareFields, &PrepareSettings::fringes>();
const auto &kDarkNoise = fieldOf<kPrepareFields, &PrepareSettings::darkNoise>();
const auto &kDemosaic = fieldOf<kPrepareFields, &PrepareSettings::demosaic>();

} // namespace

LensGroup::LensGroup(Document *document, QWidget *parent)
    : FoldGroup(words(kFringes.group), parent), document_(document),
      fringesName_(new QLabel(words(kFringes.name), this)), fringeFacts_(new QLabel(this)),
      demosaicName_(new QLabel(words(kDemosaic.name), this)), fringes_(choiceRow(kFringes, this)),
      demosaic_(choiceRow(kDemosaic, this)), darkNoise_(new ValueSlider(sliderSpec(kDarkNoise), this))
{
    fringeFacts_->setWordWrap(true);
    fringeFacts_->setForegroundRole(QPalette::PlaceholderText);
    for (QWidget *widget :
         {static_cast<QWidget *>(fringesName_), static_cast<QWidget *>(fringes_), static_cast<QWidget *>(fringeFacts_),
          static_cast<QWidget *>(darkNoise_), static_cast<QWidget *>(demosaicName_), static_cast<QWidget *>(demosaic_)})
        add(widget);
    connect(fringes_, &ChoiceRow::chosen, this, [this](int index) {
        set([index](PrepareSettings &s) { s.fringes = kFringeModes[size_t(index)].value; }, kFringes.name);
    });
    connect(demosaic_, &ChoiceRow::chosen, this, [this](int index) {
        set([index](PrepareSettings &s) { s.demosaic = kDemosaics[size_t(index)].value; }, kDemosaic.name);
    });
    connect(darkNoise_, &ValueSlider::changed, this, [this](double value, const QString &gesture) {
        set([value](PrepareSettings &s) { s.darkNoise = value; }, kDarkNoise.name, gesture);
    });
    connect(document, &Document::bracketChanged, this, &LensGroup::refresh);
    connect(document, &Document::recipeChanged, this, &LensGroup::refresh);
}

void LensGroup::set(const std::function<void(PrepareSettings &)> &change, std::string_view name, const QString &gesture)
{
    Recipe next = document_->recipe();
    change(next.prepare);
    document_->setRecipe(next, words(name).toLower(), gesture);
}

void LensGroup::refresh()
{
    const PrepareSettings &settings = document_->recipe().prepare;
    for (size_t i = 0; i < kFringeModes.size(); ++i)
        if (kFringeModes[i].value == settings.fringes)
            fringes_->setIndex(int(i));
    for (size_t i = 0; i < kDemosaics.size(); ++i)
        if (kDemosaics[i].value == settings.demosaic)
            demosaic_->setIndex(int(i));
    darkNoise_->setValue(settings.darkNoise);
    darkNoise_->setStart(PrepareSettings().darkNoise);

    // Only what acts on this set is shown.
    const auto &frames = document_->bracket().frames;
    const bool raw = std::ranges::any_of(frames, [](const BracketFrame &f) { return f.frame->isRaw(); });
    const bool darker = std::ranges::any_of(frames, [](const BracketFrame &f) { return isDarkFrame(f); });
    const Fringes &found = document_->measured().fringes;
    const bool fringes = found.source != Fringes::Source::None;
    fringesName_->setVisible(raw);
    fringes_->setVisible(raw && fringes);
    fringeFacts_->setVisible(raw);
    demosaicName_->setVisible(raw);
    demosaic_->setVisible(raw);
    darkNoise_->setVisible(darker);
    setVisible(raw || darker);
    const QSize size = document_->pictureSize();
    fringeFacts_->setText(
        !fringes
            ? tr("None found.")
            : tr("Up to %1 pixels, %2.")
                  .arg(QLocale().toString(found.largestShift(size.width(), size.height()), 'f', 1),
                       found.source == Fringes::Source::LensData ? tr("by lens data") : tr("seen in the picture")));
}

} // namespace yolk::app
