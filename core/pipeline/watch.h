#pragma once
// What can be seen of a render from outside while it goes on: where its time goes, and a small picture of the
// frame it is at.

#include <array>
#include <atomic>
#include <chrono>
#include <memory>
#include <mutex>

#include "core/frame/frame.h"

namespace glenhaze {

/// Safe from several threads.
class RenderWatch {
 public:
  /// Where a frame is between file and file. Stages work beside one another: their seconds add up to more
  /// than the clock's.
  enum Stage { Read, Clean, Place, Finish, Encode, kStages };
  using Seconds = std::array<double, kStages>;

  /// How long each was at work.
  Seconds seconds() const;
  /// Of a frame that was finished a second ago at most; null before the first. No side is over kSight px.
  std::shared_ptr<const Frame> sight() const;
  static constexpr int kSight = 480;

  void add(Stage stage, std::chrono::steady_clock::duration time);
  /// A finished frame that goes by; now and then a copy of it is kept.
  void pass(const Frame& frame);

 private:
  std::array<std::atomic<int64_t>, kStages> nanoseconds_{};
  mutable std::mutex mutex_;
  std::shared_ptr<const Frame> sight_;
  std::chrono::steady_clock::time_point seen_;
};

/// Does it, and counts its time for a stage where somebody watches.
template <typename F>
auto watched(RenderWatch* watch, RenderWatch::Stage stage, F&& act) {
  struct Clock {
    RenderWatch* watch;
    RenderWatch::Stage stage;
    std::chrono::steady_clock::time_point start = std::chrono::steady_clock::now();
    ~Clock() {
      if (watch != nullptr) watch->add(stage, std::chrono::steady_clock::now() - start);
    }
  };
  const Clock clock{watch, stage};
  return act();
}

}  // namespace glenhaze
