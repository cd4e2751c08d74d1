#include "scenes.h"

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <filesystem>

namespace yolk::bench {
namespace {

uint64_t blockOfCommit()
{
    std::string hash;
    if (FILE *git = popen("git -C \"" YOLK_SOURCE_DIR "\" rev-parse HEAD 2>/dev/null", "r")) {
        char text[64] = {};
        if (std::fgets(text, sizeof text, git))
            hash = text;
        pclose(git);
    }
    return 1000 + std::stoull("0" + hash.substr(0, 7), nullptr, 16) * 1000;
}

} // namespace

std::vector<std::string> radiancePictures(const std::string &folder)
{
    std::string from = folder + "/panoramas";
    if (!std::filesystem::exists(from))
        from = YOLK_SOURCE_DIR "/tests/data/panoramas";
    std::vector<std::string> out;
    for (const auto &entry : std::filesystem::directory_iterator(from))
        if (entry.path().extension() == ".exr")
            out.push_back(entry.path());
    std::ranges::sort(out);
    out.push_back(YOLK_SOURCE_DIR "/demo/truth/still.exr");
    return out;
}

std::pair<uint64_t, uint64_t> worldsAsked(uint64_t count)
{
    unsigned long long first = 0, wanted = 0;
    const char *text = std::getenv("YOLK_WORLDS");
    if (text && std::sscanf(text, "%llu,%llu", &first, &wanted) == 2)
        return {first, wanted};
    return {blockOfCommit(), count};
}

} // namespace yolk::bench
