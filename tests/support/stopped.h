#pragma once

#include "core/base/progress.h"

namespace glenhaze::testing {

/// Of work that was told to stop before it began.
inline Progress stoppedProgress() {
  std::stop_source stop;
  stop.request_stop();
  Progress progress;
  progress.stop = stop.get_token();
  return progress;
}

}  // namespace glenhaze::testing
