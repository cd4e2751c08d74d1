// Files with deliberate faults, made anew for each test run; `yolk-faults FOLDER` writes them for looking at.
#pragma once

#include <QString>

#include <vector>

namespace yolk::test {

struct Fault {
    QString name;         ///< of the file
    QString refusal;      ///< words that the refusal must hold; empty: the file can be used
    QString refusalInSet; ///< the same beside the good frames, where the file can only be used alone
};

/// Writes the faulty files, and three good frames good_1.jpg .. good_3.jpg of one scene beside them.
std::vector<Fault> writeFaults(const QString &folder);

} // namespace yolk::test
