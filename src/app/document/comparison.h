// What the picture is held against, and how: state of the view, never of the settings.
#pragma once

#include <QObject>
#include <QString>

#include <optional>
#include <string>

namespace yolk::app {

/// What one side of the canvas shows.
struct ViewSource {
    enum class Kind {
        Picture,     ///< as the settings make it
        MiddleFrame, ///< the reference frame, whichever that is
        Frame,       ///< by its content id
        PlainMerge,  ///< the merged light under nothing but the exposure of the automatic start
        Opening,     ///< the picture as it was when the set was opened
        Unmended,    ///< the picture without what is mended, dust and all
        Version,     ///< a kept one, by its index
        File         ///< any picture file: somebody else's result
    };
    Kind kind = Kind::Picture;
    std::string frame{};
    int version = 0;
    std::string file{}; ///< path
    bool operator==(const ViewSource &) const = default;
};

enum class CompareWay { Off, Split, Beside };

class Comparison : public QObject {
    Q_OBJECT
public:
    using QObject::QObject;

    CompareWay way() const { return way_; }
    void setWay(CompareWay way);
    const ViewSource &against() const { return against_; }
    void setAgainst(const ViewSource &against);
    /// Frames are brought to the picture's brightness unless this is set.
    bool framesAsTaken() const { return asTaken_; }
    void setFramesAsTaken(bool on);
    /// Shown in place of everything while a key is held.
    const std::optional<ViewSource> &held() const { return held_; }
    void hold(const ViewSource &source);
    void release();
    /// Versions from `from` on have an index that is other by `by`, +1 or -1: of the latter `from` itself is gone.
    void versionsMoved(int from, int by);
    void reset(); ///< another set is open: frames and versions are others

Q_SIGNALS:
    void changed();

private:
    CompareWay way_ = CompareWay::Off;
    ViewSource against_{ViewSource::Kind::MiddleFrame};
    bool asTaken_ = false;
    std::optional<ViewSource> held_;
};

} // namespace yolk::app
