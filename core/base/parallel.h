#pragma once
// The core's one way of using several cores: disjoint blocks of rows. TBB itself stays out of the
// headers, because its names collide with Qt's.

#include <functional>

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

}  // namespace glenhaze
