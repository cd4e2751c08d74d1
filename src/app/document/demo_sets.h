// The sets of frames that come with Yolk.
#pragma once

#include <QStringList>

#include <vector>

namespace yolk::app {

struct DemoSet {
    QString folder;  ///< "henhouse-handheld"
    QString name;    ///< "Held by hand"
    QString content; ///< "5 raw frames"
    QStringList frames;
};

/// Those that are found where the program was built or installed, the one for newcomers first.
std::vector<DemoSet> demoSets();

} // namespace yolk::app
