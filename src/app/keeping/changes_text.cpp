#include "keeping/changes_text.h"

#include "widgets/number_text.h"
#include "widgets/words.h"

#include <QCoreApplication>

namespace yolk::app {
namespace {

QString said(const char *text, int count = -1)
{
    return QCoreApplication::translate("Changes", text, nullptr, count);
}

template <class S> QString valueText(const RealField<S> &field, double value)
{
    const bool eitherWay = field.minimum < 0.0;
    const QString number =
        eitherWay ? signedNumber(value, field.decimals) : QString::number(value, 'f', field.decimals);
    const QString unit = words(field.unit);
    return unit.isEmpty() ? number : number + QLatin1Char(' ') + unit;
}

QString counted(qsizetype count, const char *one, const char *many)
{
    return count == 1 ? said(one) : said(many).arg(count);
}

} // namespace

QStringList changesIn(const SettingGroup &group, const Recipe &recipe, const Recipe &start)
{
    QStringList out;
    forEachSection([&](const auto &section) {
        if (section.step != group.step || section.stage == Stage::None)
            return;
        forEachField(*section.fields, [&](const auto &field) {
            using Field = std::remove_cvref_t<decltype(field)>;
            if constexpr (requires { field.group; }) {
                const auto &settings = section.of(recipe);
                const auto &value = settings.*field.member;
                if (groupKey(field.group) != group.key || value == section.of(start).*field.member ||
                    !isVisible(settings, field))
                    return;
                if constexpr (std::is_same_v<std::remove_cvref_t<decltype(value)>, SharedList<Area>>) {
                    out << counted(qsizetype(value.size()), "1 area", "%1 areas");
                } else if constexpr (requires { field.items; }) {
                    out << counted(qsizetype(value.size()), "1 mark", "%1 marks");
                } else if constexpr (IsReal<Field>) {
                    out << words(field.name) + QLatin1Char(' ') + valueText(field, value);
                } else if constexpr (IsChoice<Field>) {
                    for (const auto &choice : field.choices)
                        if (choice.value == value)
                            out << words(field.name) + QStringLiteral(": ") + words(choice.name);
                } else if constexpr (IsSwitch<Field>) {
                    out << words(field.name) + QLatin1Char(' ') + (value ? said("on") : said("off"));
                } else {
                    out << words(field.name);
                }
            }
        });
    });
    return out;
}

QStringList changesOfFrames(const Recipe &recipe)
{
    const FrameChoice &frames = recipe.frames;
    QStringList out;
    const auto add = [&](size_t count, const char *one, const char *many) {
        if (count > 0)
            out << counted(qsizetype(count), one, many);
    };
    add(frames.excluded.size(), "1 frame left out", "%1 frames left out");
    add(frames.removed.size(), "1 frame removed", "%1 frames removed");
    add(frames.exposure.size(), "1 exposure typed", "%1 exposures typed");
    add(frames.influence.size(), "1 frame weighted", "%1 frames weighted");
    if (!frames.reference.empty())
        out << said("reference chosen");
    if (!frames.keeper.empty())
        out << said("keeper chosen");
    add(recipe.movement.regions.size(), "1 area drawn", "%1 areas drawn");
    return out;
}

} // namespace yolk::app
