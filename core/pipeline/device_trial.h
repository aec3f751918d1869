#pragma once
// How fast this computer corrects by its processor, and with each device beside it.

#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/device/device.h"

namespace glenhaze {

struct DeviceTrial {
  struct Row {
    std::string choice;  ///< as choiceFrom() takes it; empty: the processor alone
    DeviceInfo device;   ///< of the choice
    double fps = 0;      ///< at 1920 × 1080, noise and lens; decoding and encoding not counted
    std::string why;     ///< it cannot be used; empty where it can
  };
  std::vector<Row> rows;  ///< the processor first
  /// The fastest one. A device has to bring a tenth: else the processor.
  const Row& best() const;
};

/// Tries the processor, and each device for noise removal, for resampling, and for both. Some seconds each.
/// Throws Error(Cancelled).
DeviceTrial tryDevices(const Progress& progress = {});

/// "both parts", "noise removal" or "resampling": what a choice leaves to its device.
std::string choiceParts(const std::string& choice);

}  // namespace glenhaze
