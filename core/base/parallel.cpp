#include "core/base/parallel.h"

#include <tbb/blocked_range.h>
#include <tbb/global_control.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <ctime>
#ifdef __SANITIZE_THREAD__
#include <atomic>
#include <exception>
#include <mutex>
#include <thread>
#endif

namespace glenhaze {

namespace {

thread_local BlockTimes* watching = nullptr;
thread_local bool within_block = false;

double processorSeconds() {
  timespec now{};
  clock_gettime(CLOCK_THREAD_CPUTIME_ID, &now);
  return static_cast<double>(now.tv_sec) + static_cast<double>(now.tv_nsec) * 1e-9;
}

// Blocks within a block are part of it.
void runAndTime(int blocks, const std::function<void(int)>& run) {
  if (within_block) {
    for (int block = 0; block < blocks; ++block) run(block);
    return;
  }
  struct Within {
    Within() { within_block = true; }
    ~Within() { within_block = false; }
  };
  const Within within;
  std::vector<double>& times = watching->calls.emplace_back();
  for (int block = 0; block < blocks; ++block) {
    const double start = processorSeconds();
    run(block);
    times.push_back(processorSeconds() - start);
  }
}

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
  const auto run = [&](int block) {
    const int first = block * step;
    body(first, std::min(count, first + step));
  };
  if (watching != nullptr) return runAndTime(blocks, run);
  runBlocks(blocks, run);
}

BlockTimes::BlockTimes() { watching = this; }

BlockTimes::~BlockTimes() { watching = nullptr; }

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
