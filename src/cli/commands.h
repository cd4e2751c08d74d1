// The commands of yolk-cli. Each adds its options to the parser and returns the work to do when it was chosen.
#pragma once

#include "base/exec_context.h"

#include <CLI/CLI.hpp>
#include <functional>

namespace yolk::cli {

using Work = std::function<void(ExecContext &ctx)>;

Work addInfo(CLI::App &app);
Work addMerge(CLI::App &app);
Work addDevelop(CLI::App &app);
Work addBatch(CLI::App &app);

} // namespace yolk::cli
