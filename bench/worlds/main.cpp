// yolk-worlds: writes the frames of a world, for trying the programs by hand. Only seeds for work: what is reported on is
// not looked at.
#include "worlds/world.h"

#include <cstdio>
#include <cstdlib>

int main(int argc, char **argv)
{
    using namespace yolk;
    const unsigned long long seed = argc == 3 ? std::strtoull(argv[1], nullptr, 10) : 1000;
    if (seed >= 1000) {
        std::fprintf(stderr, "usage: yolk-worlds SEED FOLDER, seeds below 1000\n");
        return 2;
    }
    ThreadRunner runner;
    ExecContext ctx(runner);
    const worlds::World world = worlds::worldOf(seed);
    worlds::shoot(world, argv[2], ctx);
    std::printf("%s\n", world.words().c_str());
    return 0;
}
