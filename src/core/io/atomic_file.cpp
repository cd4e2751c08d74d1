#include "io/atomic_file.h"

#include "base/errors.h"

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <sys/stat.h>
#include <unistd.h>

namespace yolk {

AtomicFile::AtomicFile(std::string path) : path_(std::move(path))
{
    const std::filesystem::path target(path_);
    if (std::filesystem::is_directory(target))
        throw OutputError(path_, "is a folder");
    // Hidden, and with the suffix kept: the format libraries look at it.
    temporary_ =
        (target.parent_path() / ("." + target.stem().string() + ".XXXXXX" + target.extension().string())).string();
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

AtomicFile::~AtomicFile()
{
    if (!done_ && !temporary_.empty())
        std::remove(temporary_.c_str());
}

void AtomicFile::commit()
{
    const int fd = open(temporary_.c_str(), O_RDONLY);
    const bool flushed = fd >= 0 && fsync(fd) == 0;
    if (fd >= 0)
        close(fd);
    if (!flushed || std::rename(temporary_.c_str(), path_.c_str()) != 0)
        throw OutputError(path_, std::strerror(errno));
    done_ = true;
}

} // namespace yolk
