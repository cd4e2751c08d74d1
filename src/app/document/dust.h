// Dust on the sensor: what is proposed, and what was taken as dust.
#pragma once

#include "jobs/lane.h"
#include "mend/mend_settings.h"

#include <QObject>

#include <optional>
#include <string>
#include <vector>

namespace yolk::app {

class Document;

/// What is taken or let go is a change of the recipe, and so a step of undo; proposals are not kept. What was taken in one
/// set is proposed for others of the same camera and day, and known to the user's settings.
class Dust : public QObject {
    Q_OBJECT
public:
    explicit Dust(Document *document);

    const SharedList<DustSpot> &taken() const;
    const std::vector<DustSpot> &proposed() const { return proposed_; } ///< those that are not taken yet
    bool isLooking() const { return lane_.busy(); }
    Lane *lane() { return &lane_; }

    void look(); ///< for dust in the frames in use; what is found is proposed
    void take(size_t proposal);
    void takeAll();
    void refuse(size_t proposal); ///< it is no dust
    void refuseAll();
    void set(size_t index, DustSpot spot, const QString &what, const QString &gesture = {});
    void remove(size_t index);                           ///< of those taken
    bool isFromOtherSet() const { return isFromOther_; } ///< what is proposed was taken in another set

Q_SIGNALS:
    void changed(); ///< what is proposed or taken, or whether it is looked for

private:
    void setTaken(std::vector<DustSpot> dust, const QString &what, const QString &gesture = {});
    void recipeChanged();

    /// What was taken in sets of one camera on one day.
    struct Known {
        std::string camera, day;
        int width, height;
        double fNumber; ///< by which dust casts its shadow; 0: not known
        std::vector<DustSpot> spots;
    };
    std::optional<Known>
    here() const; ///< of the set that is open, without spots; empty: it does not say its camera or day
    void remember();
    void proposeKnown();

    Document *document_;
    Lane lane_;
    SharedList<DustSpot> seen_;
    std::vector<DustSpot> proposed_;
    std::vector<Known> known_;
    bool isFromOther_ = false;
};

} // namespace yolk::app
