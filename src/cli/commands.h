// The commands of yolk-cli. Each adds its options to the parser and returns the work to do when it was chosen.
#pragma once

#include "base/exec_context.h"

#include <CLI/CLI.hpp>
#include <functional>

namespace yolk::cli {

using Work = std::function<void(ExecContext &ctx)>;

/// What the contract knows and this release does not do yet: said in plain words with exit 2, never ignored.
[[noreturn]] void refuse(const std::string &option);

Work addInfo(CLI::App &app);
Work addMerge(CLI::App &app);
Work addDevelop(CLI::App &app);

} // namespace yolk::cli
