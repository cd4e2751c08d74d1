#include "io/still_encoder.h"

#include "base/errors.h"
#include "base/text.h"

#include <algorithm>
#include <array>
#include <cerrno>
#include <csignal>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <spawn.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/wait.h>
#include <unistd.h>
#include <utility>

namespace yolk {
namespace {

constexpr uint32_t kMagic = 0x4b4c4f59;
constexpr int kJob = 3, kOut = 4; // descriptors of the child
constexpr size_t kMostWords = 500;
constexpr int kLookEvery = 20; // milliseconds between looks at the stop

/// What stands at the start of a job; profile, Exif, XMP and the codes follow.
struct JobHead {
    uint32_t magic = kMagic;
    StillFormat format{};
    int32_t width = 0, height = 0, bits = 0, quality = 0, halvedChroma = 0;
    CodePoints codePoints;
    uint64_t profileBytes = 0, exifBytes = 0, xmpBytes = 0;
};

class Descriptor {
public:
    explicit Descriptor(int fd = -1) : fd_(fd) {}
    ~Descriptor() { reset(); }
    Descriptor(const Descriptor &) = delete;
    Descriptor &operator=(const Descriptor &) = delete;
    operator int() const { return fd_; }
    void reset()
    {
        if (fd_ >= 0)
            close(fd_);
        fd_ = -1;
    }

private:
    int fd_;
};

/// Beside the running program, where builds and packages put it.
std::string encoderPath()
{
    std::error_code error;
    const auto folder = std::filesystem::read_symlink("/proc/self/exe", error).parent_path();
    return (folder / "yolk-encoder").string();
}

/// The child, which never outlives this.
class Child {
public:
    Child(const std::string &program, int job, int out)
    {
        // First out of the way of the child's numbers, then into them.
        const Descriptor safeJob(fcntl(job, F_DUPFD_CLOEXEC, 10)), safeOut(fcntl(out, F_DUPFD_CLOEXEC, 10));
        posix_spawn_file_actions_t actions;
        posix_spawn_file_actions_init(&actions);
        posix_spawn_file_actions_adddup2(&actions, safeJob, kJob);
        posix_spawn_file_actions_adddup2(&actions, safeOut, kOut);
        char *const arguments[] = {const_cast<char *>("yolk-encoder"), nullptr};
        const int failed = posix_spawn(&id_, program.c_str(), &actions, nullptr, arguments, environ);
        posix_spawn_file_actions_destroy(&actions);
        if (failed != 0)
            throw Error(program + " cannot be started: " + std::strerror(failed));
    }
    ~Child()
    {
        if (id_ <= 0)
            return;
        kill(id_, SIGKILL);
        waitpid(id_, nullptr, 0);
    }
    Child(const Child &) = delete;
    Child &operator=(const Child &) = delete;

    bool succeeded()
    {
        int status = 0;
        waitpid(std::exchange(id_, 0), &status, 0);
        return WIFEXITED(status) && WEXITSTATUS(status) == 0;
    }

private:
    pid_t id_ = 0;
};

/// Sends to a child that may have ended, and looks at the stop while it waits.
void sendAll(int socket, const void *data, size_t size, ExecContext &ctx)
{
    const auto *at = static_cast<const char *>(data);
    while (size > 0) {
        const ssize_t sent = send(socket, at, size, MSG_NOSIGNAL);
        if (sent > 0) {
            at += sent;
            size -= size_t(sent);
        } else if (sent < 0 && (errno == EAGAIN || errno == EINTR)) {
            ctx.throwIfStopped();
        } else {
            return; // it has ended, and its words say why
        }
    }
}

/// What the child says until it closes its end.
std::string received(int socket, ExecContext &ctx)
{
    std::string out;
    std::array<char, kMostWords> piece;
    for (;;) {
        const ssize_t got = recv(socket, piece.data(), piece.size(), 0);
        if (got > 0)
            out.append(piece.data(), size_t(got));
        else if (got < 0 && (errno == EAGAIN || errno == EINTR))
            ctx.throwIfStopped();
        else
            return out;
    }
}

} // namespace

void writeStill(const std::string &path, const StillPicture &picture, const FillRow16 &fill, ExecContext &ctx)
{
    if (picture.width < 1 || picture.height < 1 || picture.width > 65536 || picture.height > 65536)
        throw ArgumentError(
            textOf("a picture of %d x %d pixels: sides must lie in 1 to 65536", picture.width, picture.height));
    if (picture.bits < 8 || picture.bits > 16 || picture.quality < 1 || picture.quality > 100)
        throw ArgumentError(textOf("a picture of %d bits at quality %d: must lie in 8 to 16 and 1 to 100", picture.bits,
                                   picture.quality));
    JobHead head;
    head.format = picture.format;
    head.width = picture.width;
    head.height = picture.height;
    head.bits = picture.bits;
    head.quality = picture.quality;
    head.halvedChroma = picture.halvedChroma;
    head.codePoints = picture.codePoints;
    head.profileBytes = picture.profile.size();
    head.exifBytes = picture.exif.size();
    head.xmpBytes = picture.xmp.size();
    Descriptor out(open(path.c_str(), O_WRONLY | O_TRUNC | O_CREAT | O_CLOEXEC, 0666));
    if (out < 0)
        throw OutputError(path, std::strerror(errno));
    int ends[2];
    if (socketpair(AF_UNIX, SOCK_STREAM | SOCK_CLOEXEC, 0, ends) != 0)
        throw OutputError(path, std::strerror(errno));
    const Descriptor ours(ends[0]);
    Descriptor theirs(ends[1]);
    const timeval look{0, kLookEvery * 1000};
    setsockopt(ours, SOL_SOCKET, SO_SNDTIMEO, &look, sizeof look);
    setsockopt(ours, SOL_SOCKET, SO_RCVTIMEO, &look, sizeof look);
    try {
        Child child(encoderPath(), theirs, out);
        theirs.reset(); // so that its end is seen
        sendAll(ours, &head, sizeof head, ctx);
        sendAll(ours, picture.profile.data(), picture.profile.size(), ctx);
        sendAll(ours, picture.exif.data(), picture.exif.size(), ctx);
        sendAll(ours, picture.xmp.data(), picture.xmp.size(), ctx);
        std::vector<uint16_t> row(size_t(picture.width) * 3);
        for (int y = 0; y < picture.height; ++y) {
            fill(y, row);
            sendAll(ours, row.data(), row.size() * sizeof(uint16_t), ctx);
        }
        shutdown(ours, SHUT_WR);
        const std::string words = received(ours, ctx);
        if (!child.succeeded())
            throw Error(words.empty() ? "its encoder ended before the file was written" : words);
    } catch (const Cancelled &) {
        throw;
    } catch (const Error &e) {
        throw OutputError(path, e.what());
    }
}

namespace {

void readAll(int socket, void *data, size_t size)
{
    auto *at = static_cast<char *>(data);
    while (size > 0) {
        const ssize_t got = read(socket, at, size);
        if (got < 0 && errno == EINTR)
            continue;
        if (got <= 0)
            throw Error("the encoder was started without a picture; it is not for people");
        at += got;
        size -= size_t(got);
    }
}

void writeAll(int fd, std::span<const std::byte> bytes)
{
    while (!bytes.empty()) {
        const ssize_t got = write(fd, bytes.data(), bytes.size());
        if (got < 0 && errno == EINTR)
            continue;
        if (got <= 0)
            throw Error(std::strerror(errno));
        bytes = bytes.subspan(size_t(got));
    }
}

} // namespace

int runEncoder(int job, int out)
{
    prctl(PR_SET_PDEATHSIG, SIGKILL); // nobody waits for the file any more
    std::signal(SIGXFSZ, SIG_IGN);    // too large a file is an error like others
    try {
        JobHead head;
        readAll(job, &head, sizeof head);
        constexpr uint64_t kMostBlob = 256u << 20;
        if (head.magic != kMagic || head.width < 1 || head.height < 1 || head.profileBytes > kMostBlob ||
            head.exifBytes > kMostBlob || head.xmpBytes > kMostBlob)
            throw Error("the encoder was started without a picture; it is not for people");
        StillPicture picture;
        picture.format = head.format;
        picture.width = head.width;
        picture.height = head.height;
        picture.bits = head.bits;
        picture.quality = head.quality;
        picture.halvedChroma = head.halvedChroma != 0;
        picture.codePoints = head.codePoints;
        picture.profile.resize(head.profileBytes);
        readAll(job, picture.profile.data(), head.profileBytes);
        picture.exif.resize(head.exifBytes);
        readAll(job, picture.exif.data(), head.exifBytes);
        picture.xmp.resize(head.xmpBytes);
        readAll(job, picture.xmp.data(), head.xmpBytes);
        std::vector<uint16_t> codes(size_t(head.width) * size_t(head.height) * 3);
        readAll(job, codes.data(), codes.size() * sizeof(uint16_t));
        writeAll(out, head.format == StillFormat::Avif ? encodeAvif(picture, codes.data())
                                                       : encodeJxl(picture, codes.data()));
        return 0;
    } catch (const std::exception &e) {
        const std::string why = std::string(e.what()).substr(0, kMostWords);
        send(job, why.data(), why.size(), MSG_NOSIGNAL);
        return 1;
    }
}

} // namespace yolk
