// Many files at once, of which some may be unreadable.
#pragma once

#include "base/errors.h"
#include "base/exec_context.h"

#include <optional>
#include <span>
#include <string>
#include <vector>

namespace yolk {

/// What read(path) makes of each file, on all cores, in their order. Where it throws InputError a default R stands, and the
/// error joins `problems`, in their order too. Throws Cancelled and whatever else `read` throws.
template <class R, class Read>
std::vector<R> readEach(std::span<const std::string> paths, const Read &read, std::vector<InputError> &problems,
                        ExecContext &ctx)
{
    std::vector<R> out(paths.size());
    std::vector<std::optional<InputError>> errors(paths.size());
    forEachPart(ctx, int(paths.size()), [&](int i, ExecContext &) {
        try {
            out[size_t(i)] = read(paths[size_t(i)]);
        } catch (const InputError &e) {
            errors[size_t(i)] = e;
        }
    });
    for (std::optional<InputError> &error : errors)
        if (error)
            problems.push_back(std::move(*error));
    return out;
}

} // namespace yolk
