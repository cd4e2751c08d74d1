// Some libraries print what they think of damaged files; we say it ourselves, in one line.
#pragma once

namespace yolk {

/// While one lives, nothing reaches standard error: neither theirs nor ours. Several may live at once, on any threads.
class Quiet {
public:
    Quiet();
    ~Quiet();
    Quiet(const Quiet &) = delete;
    Quiet &operator=(const Quiet &) = delete;
};

} // namespace yolk
