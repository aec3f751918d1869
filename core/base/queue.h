#pragma once
// A bounded queue between two threads: the faster one waits, so memory stays small.

#include <condition_variable>
#include <deque>
#include <mutex>
#include <optional>
#include <utility>

namespace glenhaze {

template <typename T>
class BoundedQueue {
 public:
  explicit BoundedQueue(size_t capacity) : capacity_(capacity) {}

  /// Waits for room. False when the queue was closed: the value is dropped and the sender should end.
  bool push(T value) {
    std::unique_lock lock(mutex_);
    room_.wait(lock, [&] { return values_.size() < capacity_ || closed_; });
    if (closed_) return false;
    values_.push_back(std::move(value));
    filled_.notify_one();
    return true;
  }

  /// Waits until push() of the only sender would not wait: what takes much memory is made only then. False
  /// when the queue was closed.
  bool awaitRoom() {
    std::unique_lock lock(mutex_);
    room_.wait(lock, [&] { return values_.size() < capacity_ || closed_; });
    return !closed_;
  }

  /// Waits for a value. Empty when the queue is closed and nothing is left in it.
  std::optional<T> pop() {
    std::unique_lock lock(mutex_);
    filled_.wait(lock, [&] { return !values_.empty() || closed_; });
    if (values_.empty()) return std::nullopt;
    T value = std::move(values_.front());
    values_.pop_front();
    room_.notify_one();
    return value;
  }

  /// No more values; the receiver still gets what is in the queue.
  void close() {
    const std::lock_guard lock(mutex_);
    closed_ = true;
    room_.notify_all();
    filled_.notify_all();
  }

 private:
  const size_t capacity_;
  std::mutex mutex_;
  std::condition_variable room_, filled_;
  std::deque<T> values_;
  bool closed_ = false;
};

}  // namespace glenhaze
