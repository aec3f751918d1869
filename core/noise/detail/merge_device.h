#pragma once
// mergeRows() on a device.

#include "core/device/device.h"
#include "core/noise/detail/block_kernel.h"

namespace glenhaze::detail {

/// All rows of a job, whose planes are SamplePlanes. Throws DeviceFailure; what the job writes may then be
/// written in part.
void mergeOnDevice(Device& device, const MergeJob& job);

}  // namespace glenhaze::detail
