// yolk-faults: writes the files with deliberate faults that the tests use, for trying the programs by hand.
#include "support/faults.h"

#include <cstdio>
#include <QDir>

int main(int argc, char **argv)
{
    if (argc != 2 || !QDir().mkpath(QString::fromLocal8Bit(argv[1]))) {
        std::fprintf(stderr, "usage: yolk-faults FOLDER\n");
        return 2;
    }
    for (const yolk::test::Fault &fault : yolk::test::writeFaults(QString::fromLocal8Bit(argv[1])))
        std::printf("%-28s %s\n", qPrintable(fault.name),
                    fault.refusal.isEmpty() ? "can be used" : qPrintable("refused: " + fault.refusal));
    return 0;
}
