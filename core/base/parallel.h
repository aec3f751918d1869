#pragma once
// The core's one way of using several cores: disjoint blocks of rows. TBB itself stays out of the
// headers, because its names collide with Qt's.

#include <functional>
#include <vector>

namespace glenhaze {

/// Calls `body(first, last)` for consecutive blocks of [0, count), at most `grain` long, on all
/// worker threads. Blocks are the same whatever the number of threads. An exception from `body`
/// reaches the caller.
void parallelBlocks(int count, int grain, const std::function<void(int first, int last)>& body);

/// The number of worker threads in use.
int workerThreads();

/// Limits the workers of this process for as long as it lives; made once, in main.
class ThreadLimit {
 public:
  /// `threads` ≤ 0: as many as there are cores.
  explicit ThreadLimit(int threads);
  ~ThreadLimit();
  ThreadLimit(const ThreadLimit&) = delete;
  ThreadLimit& operator=(const ThreadLimit&) = delete;

 private:
  void* control_;
};

/// While it lives, the blocks that its thread hands out run in that thread, one after another, and what each
/// took is kept: for benchmarks that ask how the work would spread over other numbers of threads. One at a
/// time; used and destroyed in the thread that made it.
class BlockTimes {
 public:
  BlockTimes();
  ~BlockTimes();
  BlockTimes(const BlockTimes&) = delete;
  BlockTimes& operator=(const BlockTimes&) = delete;

  /// Processor seconds of each block, for each call of parallelBlocks().
  std::vector<std::vector<double>> calls;
};

}  // namespace glenhaze
