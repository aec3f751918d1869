#include "core/base/parallel.h"

#include <tbb/blocked_range.h>
#include <tbb/global_control.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#ifdef __SANITIZE_THREAD__
#include <atomic>
#include <exception>
#include <mutex>
#include <thread>
#endif

namespace glenhaze {

namespace {

#ifdef __SANITIZE_THREAD__
// The thread sanitizer does not see how TBB's own library hands work over, and takes all of it for races.
// Threads that it does see find the real ones in what they run.
void runBlocks(int blocks, const std::function<void(int)>& run) {
  std::atomic<int> next = 0;
  std::exception_ptr failure;
  std::mutex mutex;
  const auto work = [&] {
    for (int block = next++; block < blocks; block = next++) try {
        run(block);
      } catch (...) {
        const std::lock_guard lock(mutex);
        failure = std::current_exception();
      }
  };
  {
    const std::jthread other(work);
    work();
  }
  if (failure) std::rethrow_exception(failure);
}
#else
void runBlocks(int blocks, const std::function<void(int)>& run) { tbb::parallel_for(0, blocks, run); }
#endif

}  // namespace

void parallelBlocks(int count, int grain, const std::function<void(int, int)>& body) {
  if (count <= 0) return;
  const int step = std::max(1, grain);
  const int blocks = (count + step - 1) / step;
  runBlocks(blocks, [&](int block) {
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
