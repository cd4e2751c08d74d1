// Numbers as the window writes them: one way for each kind.
#pragma once

#include "io/metadata.h"

#include <QString>

namespace yolk::app {

/// "+1.5", "−0.3", and "0" without a sign for what rounds to it.
QString signedNumber(double value, int decimals);
/// "+2 EV", "−0.33 EV", "0 EV".
QString evText(double ev);
/// "12.3 %", "0.07 %", "less than 0.01 %": enough digits to tell a little from nothing.
QString percentText(double share);
/// "40 s", "4 min".
QString durationText(double seconds);
/// "1/125 s", "0.5 s"; empty when it is not known.
QString shutterText(const Metadata &metadata);

} // namespace yolk::app
