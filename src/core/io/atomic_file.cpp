#include "io/atomic_file.h"

#include "base/errors.h"
#include "base/leave.h"

#include <cerrno>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fstream>
#include <random>
#include <sys/stat.h>
#include <system_error>
#include <thread>
#include <unistd.h>
#include <utility>

namespace yolk {

namespace {

void flushFolder(const std::string &file)
{
    const std::filesystem::path folder = std::filesystem::path(file).parent_path();
    const int fd = open(folder.empty() ? "." : folder.c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (fd < 0)
        return; // may be entered but not read: nothing can be done
    fsync(fd);
    close(fd);
}

/// Letting go of some hundred megabytes that were not wanted takes longer than somebody who stopped should wait.
void closeLater(int fd)
{
    try {
        std::thread([fd] { close(fd); }).detach();
    } catch (const std::system_error &) {
        close(fd);
    }
}

} // namespace

AtomicFile::AtomicFile(std::string path) : path_(std::move(path))
{
    const std::filesystem::path target(path_);
    if (std::filesystem::is_directory(target))
        throw OutputError(path_, "is a folder");
    const std::string folder = target.has_parent_path() ? target.parent_path().string() : ".";
    // Without a name at first: whatever ends the process, nothing stays behind. Not all file systems can do that.
    nameless_ = open(folder.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0666);
    if (nameless_ >= 0) {
        temporary_ = "/proc/self/fd/" + std::to_string(nameless_);
        if (access(temporary_.c_str(), R_OK | W_OK) == 0)
            return;
        close(std::exchange(nameless_, -1));
    }
    temporary_ = hiddenName("XXXXXX");
    const int fd = mkstemps(temporary_.data(), int(target.extension().string().size()));
    if (fd < 0) {
        temporary_.clear();
        throw OutputError(path_, errno == ENOENT ? "the folder does not exist" : std::strerror(errno));
    }
    const mode_t mask = umask(0); // mkstemps makes private files; give it the rights that a new file would have
    umask(mask);
    fchmod(fd, 0666 & ~mask);
    close(fd);
}

/// Beside the target, with its suffix kept.
std::string AtomicFile::hiddenName(const std::string &mark) const
{
    const std::filesystem::path target(path_);
    return (target.parent_path() / ("." + target.stem().string() + "." + mark + target.extension().string())).string();
}

/// The target's own name at once where there is no such file yet: then no other name is ever seen, whenever the process
/// ends. A link cannot replace a file that is there, a rename can: there, another name, from which it is to be renamed.
std::string AtomicFile::nameNameless() const
{
    std::string name = path_;
    std::random_device random;
    while (linkat(AT_FDCWD, temporary_.c_str(), AT_FDCWD, name.c_str(), AT_SYMLINK_FOLLOW) != 0) {
        if (errno != EEXIST)
            throw OutputError(path_, std::strerror(errno));
        name = hiddenName(std::to_string(random()));
    }
    return name;
}

AtomicFile::~AtomicFile()
{
    if (nameless_ >= 0 && done_)
        close(nameless_);
    else if (nameless_ >= 0)
        closeLater(nameless_);
    else if (!done_ && !temporary_.empty())
        std::remove(temporary_.c_str());
}

void AtomicFile::commit(Durability durability, ExecContext *ctx)
{
    if (durability == Durability::Flushed) {
        const int fd =
            nameless_ >= 0 ? fcntl(nameless_, F_DUPFD_CLOEXEC, 0) : open(temporary_.c_str(), O_RDONLY | O_CLOEXEC);
        if (fd < 0)
            throw OutputError(path_, std::strerror(errno));
        const auto flush = [fd, path = path_] {
            const int reason = fsync(fd) == 0 ? 0 : errno;
            close(fd);
            if (reason != 0)
                throw OutputError(path, std::strerror(reason));
        };
        if (ctx)
            waitOrLeave(*ctx, flush);
        else
            flush();
    }
    const std::string named = nameless_ >= 0 ? nameNameless() : temporary_;
    if (named != path_ && std::rename(named.c_str(), path_.c_str()) != 0) {
        const int reason = errno;
        std::remove(named.c_str());
        throw OutputError(path_, std::strerror(reason));
    }
    if (durability == Durability::Flushed) // the new name too outlives a power cut
        flushFolder(path_);
    done_ = true;
}

std::shared_ptr<const std::string> heldPath(const std::string &temporaryPath)
{
    const std::string prefix = "/proc/self/fd/";
    if (!temporaryPath.starts_with(prefix))
        return nullptr;
    const int fd = fcntl(std::atoi(temporaryPath.c_str() + prefix.size()), F_DUPFD_CLOEXEC, 0);
    if (fd < 0)
        return nullptr;
    return {new std::string(prefix + std::to_string(fd)), [fd](const std::string *path) {
                close(fd);
                delete path;
            }};
}

void writeTextAtomically(const std::string &path, const std::string &text)
{
    writeAtomically(path, [&](const std::string &temporary) {
        std::ofstream file(temporary, std::ios::binary | std::ios::trunc);
        file << text;
        file.flush();
        if (!file)
            throw OutputError(temporary, "cannot be written: is the disk full?");
    });
}

} // namespace yolk
