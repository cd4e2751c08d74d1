#include "drawing/area_text.h"

#include "recipe/sections.h"
#include "widgets/number_text.h"
#include "widgets/words.h"

#include <QCoreApplication>
#include <QStringList>

namespace yolk::app {
namespace {

/// Calls visit(field) for the setting of a path.
template <class Visit> void withLocalField(const std::string &path, Visit &&visit)
{
    forEachLocalField([&](const auto &section, const auto &field) {
        if (pathOf(section, field) == path)
            visit(field);
    });
}

} // namespace

QString amountsText(const Area &area)
{
    QStringList out;
    for (const auto &[path, amount] : area.amounts)
        if (amount != 0.0)
            withLocalField(path, [&, amount = amount](const auto &field) {
                const QString unit = field.unit.empty() ? QString() : QStringLiteral(" ") + words(field.unit);
                out << words(field.name) + QLatin1Char(' ') + signedNumber(amount, field.decimals) + unit;
            });
    return out.isEmpty() ? QCoreApplication::translate("Areas", "changes nothing yet") : out.join(QStringLiteral(", "));
}

} // namespace yolk::app
