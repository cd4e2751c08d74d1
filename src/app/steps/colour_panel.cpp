#include "steps/colour_panel.h"

#include "steps/curve_group.h"
#include "steps/hues_group.h"
#include "steps/lights_group.h"
#include "steps/white_group.h"
#include "widgets/hue_ring.h"

#include <QEvent>

namespace yolk::app {

ColourPanel::ColourPanel(Document *document, QWidget *parent)
    : Panel(parent), document_(document), controls_(new FieldControls(document, this)),
      white_(new WhiteGroup(document, this)), lights_(new LightsGroup(document, this)),
      hues_(new HuesGroup(document, this)), curve_(new CurveGroup(document, this))
{
    add(white_);
    QHash<QString, FoldGroup *> groups{{words(fieldOf<kLampFields, &LampSettings::strength>().group), lights_},
                                       {words("Hues"), hues_},
                                       {words("Curve"), curve_}};
    QList<FoldGroup *> placed;
    forEachSection([&](const auto &section) {
        if (section.step != Step::Colour)
            return;
        forEachField(*section.fields, [&](const auto &field) {
            if constexpr (requires { field.group; }) {
                FoldGroup *&group = groups[words(field.group)];
                if (!group)
                    group = new AdjustmentGroup(document, Step::Colour, field.group, this);
                if (!placed.contains(group)) {
                    add(group);
                    placed << group;
                }
                if constexpr (requires { field.name; }) {
                    if (QWidget *control = controls_->make(section, field)) {
                        group->add(control);
                        if constexpr (IsReal<std::remove_cvref_t<decltype(field)>>) {
                            control->installEventFilter(this);
                            reaches_[control] = [&section, &field](Recipe &recipe, bool full) {
                                section.of(recipe).*field.member = full ? field.maximum : field.neutral;
                            };
                        }
                    }
                }
            }
        });
    });
    connect(hues_->ring(), &HueRing::hovered, this, [this](int mark) {
        if (mark < 0)
            return document_->showReach(std::nullopt);
        showReach([mark](Recipe &recipe, bool full) {
            HueMark &m = settingsOf<HueMarks>(recipe.adjustments).marks[size_t(mark)];
            m = {m.hue, m.width, 0.0, full ? -100.0 : 0.0, 0.0};
        });
    });
    add(startAgainButton(document, Step::Colour, this));
    addStretch();
}

void ColourPanel::setHatching(bool on)
{
    hatching_ = on;
    if (!on)
        document_->showReach(std::nullopt);
}

void ColourPanel::showReach(const std::function<void(Recipe &, bool)> &apply)
{
    if (!hatching_ || !document_->isOpen())
        return;
    std::array<Recipe, 2> reach{document_->recipe(), document_->recipe()};
    apply(reach[0], false);
    apply(reach[1], true);
    document_->showReach(reach);
}

bool ColourPanel::eventFilter(QObject *watched, QEvent *event)
{
    const auto found = reaches_.constFind(watched);
    if (found != reaches_.constEnd()) {
        if (event->type() == QEvent::Enter)
            showReach(*found);
        else if (event->type() == QEvent::Leave)
            document_->showReach(std::nullopt);
    }
    return Panel::eventFilter(watched, event);
}

} // namespace yolk::app
