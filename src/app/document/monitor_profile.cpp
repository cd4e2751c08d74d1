#include "document/monitor_profile.h"

#include <QGuiApplication>

#include <xcb/xcb.h>

#include <cstdlib>
#include <cstring>

namespace yolk::app {
namespace {

constexpr uint32_t kMostBytes = 16u << 20; // of a profile: those of monitors have some thousand

struct Free {
    void operator()(void *reply) const { std::free(reply); }
};

} // namespace

QByteArray profileOfScreen(xcb_connection_t *connection)
{
    if (!connection || xcb_connection_has_error(connection))
        return {};
    const auto screens = xcb_setup_roots_iterator(xcb_get_setup(connection));
    if (screens.rem == 0)
        return {};
    constexpr char kName[] = "_ICC_PROFILE";
    const auto asked = xcb_intern_atom(connection, 1, sizeof kName - 1, kName);
    const std::unique_ptr<xcb_intern_atom_reply_t, Free> atom(xcb_intern_atom_reply(connection, asked, nullptr));
    if (!atom || atom->atom == XCB_ATOM_NONE)
        return {};
    const auto wanted =
        xcb_get_property(connection, 0, screens.data->root, atom->atom, XCB_ATOM_CARDINAL, 0, kMostBytes / 4);
    const std::unique_ptr<xcb_get_property_reply_t, Free> reply(xcb_get_property_reply(connection, wanted, nullptr));
    if (!reply || reply->format != 8 || reply->bytes_after > 0)
        return {};
    return QByteArray(static_cast<const char *>(xcb_get_property_value(reply.get())),
                      xcb_get_property_value_length(reply.get()));
}

QByteArray profileOfDesktop()
{
    if (QGuiApplication::platformName() !=
        QLatin1String("xcb")) // others may own such an interface without a connection
        return {};
    if (const auto *x11 = qGuiApp->nativeInterface<QNativeInterface::QX11Application>())
        return profileOfScreen(x11->connection());
    return {};
}

std::shared_ptr<const MonitorProfile> monitorOf(const QByteArray &profile)
{
    if (profile.isEmpty())
        return std::make_shared<const MonitorProfile>();
    const auto *first = reinterpret_cast<const std::byte *>(profile.constData());
    return std::make_shared<const MonitorProfile>(std::vector<std::byte>(first, first + profile.size()));
}

} // namespace yolk::app
