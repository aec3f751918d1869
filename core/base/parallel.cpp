#include "core/base/parallel.h"

#include <tbb/blocked_range.h>
#include <tbb/global_control.h>
#include <tbb/parallel_for.h>

#include <algorithm>

namespace glenhaze {

void parallelBlocks(int count, int grain, const std::function<void(int, int)>& body) {
  if (count <= 0) return;
  const int step = std::max(1, grain);
  const int blocks = (count + step - 1) / step;
  tbb::parallel_for(0, blocks, [&](int block) {
    const int first = block * step;
    body(first, std::min(count, first + step));
  });
}

int workerThreads() {
  return static_cast<int>(tbb::global_control::active_value(tbb::global_control::max_allowed_parallelism));
}

ThreadLimit::ThreadLimit(int threads) : control_(nullptr) {
  if (threads > 0)
    control_ =
        new tbb::global_control(tbb::global_control::max_allowed_parallelism, static_cast<size_t>(threads));
}

ThreadLimit::~ThreadLimit() { delete static_cast<tbb::global_control*>(control_); }

}  // namespace glenhaze
