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

namespace {

/// Where a name that is not there yet really lies, which is its no more; empty: it is there, or unknown.
std::string takenBack(const std::string &name)
{
    for (auto &[folder, waiting] : renames)
        for (auto entry = waiting.begin(); entry != waiting.end(); ++entry)
            if (entry->second == name) {
                std::string from = entry->first;
                waiting.erase(entry);
                return from;
            }
    return {};
}

/// The name waits for its folder to be flushed; what was not flushed of the file is gone.
void hold(const struct stat &status, const struct stat &folder, const std::string &from, const char *to)
{
    const auto known = flushed.find({status.st_dev, status.st_ino});
    const bool whole = known != flushed.end() && known->second.size == status.st_size &&
                       known->second.changed.tv_sec == status.st_mtim.tv_sec &&
                       known->second.changed.tv_nsec == status.st_mtim.tv_nsec;
    if (!whole && truncate(from.c_str(), 0) != 0)
        abort();
    renames[{folder.st_dev, folder.st_ino}].emplace_back(from, to);
}

} // namespace

extern "C" int rename(const char *from, const char *to)
{
    struct stat status {
    }, folder{};
    const std::scoped_lock lock(guard);
    const std::string waiting = takenBack(from), source = waiting.empty() ? std::string(from) : waiting;
    if (stat(source.c_str(), &status) != 0 || stat(std::filesystem::path(to).parent_path().c_str(), &folder) != 0)
        return next<int (*)(const char *, const char *)>("rename")(source.c_str(), to); // which says what is wrong
    hold(status, folder, source, to);
    return 0;
}

/// Of a file that had no name: until its folder is flushed it lies under one that nobody asks for.
extern "C" int linkat(int fromFolder, const char *from, int toFolder, const char *to, int flags)
{
    using Link = int (*)(int, const char *, int, const char *, int);
    struct stat status {
    }, folder{}, there{};
    if (lstat(to, &there) == 0 || stat(from, &status) != 0 ||
        stat(std::filesystem::path(to).parent_path().c_str(), &folder) != 0)
        return next<Link>("linkat")(fromFolder, from, toFolder, to, flags); // which says what is wrong
    const std::string held =
        (std::filesystem::path(to).parent_path() / (".unsynced-" + std::to_string(status.st_ino))).string();
    if (const int done = next<Link>("linkat")(fromFolder, from, toFolder, held.c_str(), flags); done != 0)
        return done;
    const std::scoped_lock lock(guard);
    hold(status, folder, held, to);
    return 0;
}
