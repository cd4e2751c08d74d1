// Where the monitor's colour profile comes from: the desktop, or a file.
#pragma once

#include "colour/monitor.h"

#include <QByteArray>

#include <memory>

struct xcb_connection_t;

namespace yolk::app {

/// The profile that the desktop keeps for its first screen: the property _ICC_PROFILE of the X11 root window.
/// Source: [ICCinX], 2.1. Empty when there is none.
QByteArray profileOfScreen(xcb_connection_t *connection);
/// The same of the display that this application runs on; empty on other platforms.
QByteArray profileOfDesktop();

/// The monitor of this profile; an empty one stands for sRGB. Throws ArgumentError with the reason.
std::shared_ptr<const MonitorProfile> monitorOf(const QByteArray &profile);

} // namespace yolk::app
