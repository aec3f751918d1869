#pragma once
// One task of work that was handed to many computers.

#include "core/base/progress.h"
#include "core/farm/submission.h"

namespace glenhaze {

/// Does it and writes what came of it (see results.h); a clip that fails is a result like any other. Done
/// again, as after a computer that died, it gives the same. Throws Error(Unwritable) when not even that can
/// be written, Error(Cancelled), and then there is no result.
void doTask(const Submission& submission, const FarmTask& task, const Progress& progress = {});

}  // namespace glenhaze
