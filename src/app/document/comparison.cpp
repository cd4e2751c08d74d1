#include "document/comparison.h"

namespace yolk::app {

void Comparison::setWay(CompareWay way)
{
    if (way == way_)
        return;
    way_ = way;
    Q_EMIT changed();
}

void Comparison::setAgainst(const ViewSource &against)
{
    if (against == against_)
        return;
    against_ = against;
    Q_EMIT changed();
}

void Comparison::setFramesAsTaken(bool on)
{
    if (on == asTaken_)
        return;
    asTaken_ = on;
    Q_EMIT changed();
}

void Comparison::hold(const ViewSource &source)
{
    if (held_ == source)
        return;
    held_ = source;
    Q_EMIT changed();
}

void Comparison::release()
{
    if (!held_)
        return;
    held_.reset();
    Q_EMIT changed();
}

void Comparison::versionsMoved(int from, int by)
{
    if (against_.kind != ViewSource::Kind::Version || against_.version < from)
        return;
    if (by < 0 && against_.version == from)
        against_ = {ViewSource::Kind::MiddleFrame};
    else
        against_.version += by;
    Q_EMIT changed();
}

void Comparison::reset()
{
    way_ = CompareWay::Off;
    against_ = {ViewSource::Kind::MiddleFrame};
    held_.reset();
    Q_EMIT changed();
}

} // namespace yolk::app
