// An output file is complete or absent: it is written beside its place without a name, or under another one where the
// file system knows no nameless files, and renamed at the end.
#pragma once

#include "base/exec_context.h"

#include <memory>
#include <string>

namespace yolk {

/// Whether what was written stands on the disk before it gets its name. Renamed: for what may as well be lost, and knows
/// whether it is whole.
enum class Durability { Flushed, Renamed };

class AtomicFile {
public:
    /// Makes an empty file beside `path`. Throws OutputError when the folder is missing or cannot be written.
    explicit AtomicFile(std::string path);
    /// Removes what was written unless commit() succeeded.
    ~AtomicFile();
    AtomicFile(const AtomicFile &) = delete;
    AtomicFile &operator=(const AtomicFile &) = delete;

    /// Where to write: it may lack the suffix of the target.
    const std::string &temporaryPath() const { return temporary_; }
    /// Renames over `path`. With a context a stop is obeyed at once, while the disk is still at work. Throws OutputError,
    /// Cancelled; then nothing is left behind.
    void commit(Durability durability = Durability::Flushed, ExecContext *ctx = nullptr);

private:
    std::string hiddenName(const std::string &mark) const;
    std::string nameNameless() const;
    std::string path_, temporary_;
    int nameless_ = -1; ///< of a file that gets its name when it is complete
    bool done_ = false;
};

/// Calls write(temporaryPath) and commits. An OutputError of `write` is rethrown naming `path`.
template <class Write>
void writeAtomically(const std::string &path, Write &&write, Durability durability = Durability::Flushed,
                     ExecContext *ctx = nullptr);

/// Another name for a file that has none, good for as long as it is held, whatever becomes of the AtomicFile; null when it
/// has a name of its own.
std::shared_ptr<const std::string> heldPath(const std::string &temporaryPath);

/// A whole text. Throws OutputError.
void writeTextAtomically(const std::string &path, const std::string &text);

} // namespace yolk

#include "base/errors.h"

namespace yolk {

template <class Write>
void writeAtomically(const std::string &path, Write &&write, Durability durability, ExecContext *ctx)
{
    AtomicFile file(path);
    try {
        write(file.temporaryPath());
    } catch (const OutputError &e) {
        // The reason speaks of the temporary name, which nobody has heard of.
        std::string reason = e.what();
        if (reason.starts_with(file.temporaryPath() + ": "))
            reason.erase(0, file.temporaryPath().size() + 2);
        throw OutputError(path, reason);
    }
    file.commit(durability, ctx);
}

} // namespace yolk
