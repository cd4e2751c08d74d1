#include "project/work_files.h"

#include "base/errors.h"

#include <algorithm>
#include <filesystem>
#include <fstream>
#include <iterator>

namespace yolk {
namespace {

namespace fs = std::filesystem;

bool isOfFiles(const Project &project, std::span<const std::string> paths)
{
    size_t found = 0;
    for (const std::string &path : paths) {
        std::error_code error;
        const std::string name = fs::path(path).filename().string();
        const uintmax_t bytes = fs::file_size(path, error);
        const auto isIt = [&](const ProjectFrame &f) {
            return f.name == name && (f.bytes == 0 || (!error && f.bytes == bytes));
        };
        if (std::ranges::any_of(project.frames, isIt))
            ++found;
        else if (std::ranges::none_of(project.missing, isIt))
            return false;
    }
    return found == project.frames.size();
}

} // namespace

std::string workFile(const std::string &base, int number)
{
    return base + (number > 1 ? "-" + std::to_string(number) : std::string()) + ".yolk";
}

Project loadProject(const std::string &path)
{
    constexpr uintmax_t kLargest = uintmax_t(64) << 20; // bytes
    std::error_code error;
    if (fs::file_size(path, error) > kLargest && !error)
        throw InputError(path, "is larger than any project");
    std::ifstream in(path, std::ios::binary);
    if (!in)
        throw InputError(path, "cannot be read");
    try {
        return parseProject(std::string(std::istreambuf_iterator<char>(in), {}));
    } catch (const ArgumentError &e) {
        throw InputError(path, e.what());
    }
}

std::string workBeside(std::span<const std::string> frames)
{
    const fs::path first =
        *std::ranges::min_element(frames, {}, [](const std::string &path) { return fs::path(path).filename(); });
    const std::string base = (first.parent_path() / first.stem()).string();
    std::string out;
    fs::file_time_type newest;
    for (int number = 1;; ++number) {
        const std::string path = workFile(base, number);
        std::error_code error;
        const fs::file_time_type when = fs::last_write_time(path, error);
        if (error)
            return out;
        try {
            if ((out.empty() || when > newest) && isOfFiles(loadProject(path), frames)) {
                newest = when;
                out = path;
            }
        } catch (const InputError &) {
            continue; // no project
        }
    }
}

} // namespace yolk
