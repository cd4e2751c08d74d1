// A layer under a program's files, loaded before it, that keeps only what was synced: as a disk may when the power fails.
// What was not flushed before its file got its name is empty then; a new name is not there until its folder is flushed.
#include <dlfcn.h>
#include <fcntl.h>
#include <limits.h>
#include <stdlib.h>
#include <sys/stat.h>
#include <unistd.h>

#include <filesystem>
#include <map>
#include <mutex>
#include <string>
#include <utility>
#include <vector>

namespace {

struct Flushed {
    off_t size;
    timespec changed;
};

std::mutex guard;
std::map<std::pair<dev_t, ino_t>, Flushed> flushed; // files, as they were then
std::map<std::pair<dev_t, ino_t>, std::vector<std::pair<std::string, std::string>>>
    renames; // of folders, not there yet

template <class F> F next(const char *name)
{
    return reinterpret_cast<F>(dlsym(RTLD_NEXT, name));
}

} // namespace

extern "C" int fsync(int file)
{
    struct stat status {};
    const int done = next<int (*)(int)>("fsync")(file);
    if (done != 0 || fstat(file, &status) != 0)
        return done;
    const std::scoped_lock lock(guard);
    const std::pair id(status.st_dev, status.st_ino);
    if (S_ISDIR(status.st_mode)) {
        for (const auto &[from, to] : std::exchange(renames[id], {}))
            next<int (*)(const char *, const char *)>("rename")(from.c_str(), to.c_str());
    } else {
        flushed[id] = {status.st_size, status.st_mtim};
    }
    return done;
}

extern "C" int rename(const char *from, const char *to)
{
    struct stat status {
    }, folder{};
    const std::filesystem::path target(to);
    if (stat(from, &status) != 0 || stat(target.parent_path().c_str(), &folder) != 0)
        return next<int (*)(const char *, const char *)>("rename")(from, to); // which says what is wrong
    const std::scoped_lock lock(guard);
    const auto known = flushed.find({status.st_dev, status.st_ino});
    const bool whole = known != flushed.end() && known->second.size == status.st_size &&
                       known->second.changed.tv_sec == status.st_mtim.tv_sec &&
                       known->second.changed.tv_nsec == status.st_mtim.tv_nsec;
    if (!whole && truncate(from, 0) != 0)
        abort();
    renames[{folder.st_dev, folder.st_ino}].emplace_back(from, to);
    return 0;
}
