#pragma once
// A run whose clips are rendered by other computers: handed over, followed, taken over.

#include "core/farm/slurm.h"
#include "core/run/batch.h"

namespace glenhaze {

struct FarmOptions {
  double chunk_s = 0;  ///< longer clips are rendered in parts of about this; 0: none
  SlurmOptions slurm;
};

/// Renders everything in the batch that waits, and keeps its items up to date meanwhile. Returns when nothing
/// waits or runs any more; where a stop is asked for the work is taken back, and what is whole stays. Throws
/// Error(BadRequest) while the same folder is rendered into by an earlier call, Error(Unwritable) when the
/// work cannot be handed over.
void runOnSlurm(Batch& batch, const FarmOptions& options, const std::stop_token& stop);

/// The work of what waits in a batch.
struct FarmWork {
  Submission submission;   ///< saved in its folder; without items where there is nothing to do
  std::vector<int> items;  ///< where each of its items stands in the batch
};

/// For whatever engine does it; what is there already with the same settings is done. Throws as above.
FarmWork farmWorkOf(Batch& batch, double chunk_s);

}  // namespace glenhaze
