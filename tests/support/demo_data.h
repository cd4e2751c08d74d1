// The demo frames, what they were taken of and how: demo/frames.txt.
#pragma once

#include "image/image.h"
#include "simulated_camera.h"
#include "truth.h"

#include <QString>
#include <QStringList>

#include <vector>

namespace yolk::test {

struct DemoFrame {
    QString path;        ///< of the committed file
    QString scene;       ///< path of the truth it is taken of
    QStringList options; ///< of yolk-camera
    /// The number after an option; 0 when it is not there.
    double number(const char *option) const;
    demo::Lens lens() const;
};

/// What moves in the hand-held set, seen from the tripod's place: demo/scene/boxes.txt.
struct MovingThing {
    QString name;
    demo::Box box;                  ///< the part of truth "still" it keeps to
    QString scene(int state) const; ///< path of that part in state 0..4; -1: without the thing
    QString mask(int state) const;  ///< path of where it is then
};
std::vector<MovingThing> movingThings();

/// Of "henhouse-handheld", "henhouse-tripod" or "henhouse-single", in the order of their names.
std::vector<DemoFrame> demoFrames(const QString &set);
QStringList demoPaths(const QString &set);
QString demoTruth(const QString &name); ///< "still", ...

} // namespace yolk::test
