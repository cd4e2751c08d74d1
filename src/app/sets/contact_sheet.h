// Before and after of each set of a run, to be printed or sent.
#pragma once

#include "batch/batch_job.h"
#include "batch/batch_run.h"

#include <QString>

#include <vector>

namespace yolk::app {

/// On pages of a PDF (A4); reads the small pictures of the results. Not for the window's thread. Throws OutputError,
/// Cancelled.
void writeContactSheet(const QString &path, const std::vector<JobResult> &results, ExecContext &ctx);

} // namespace yolk::app
