#pragma once
// Fine edges that crawl, flash or flicker: detail too fine for the sensor's grid (roofs, leaves, railings)
// comes out otherwise in each frame. Along the picture's motion such detail goes up and down from frame to
// frame by more than noise does, while what is coarser stays; only there it is brought to its mean over the
// frames around. What does not alternate is left as it is.

#include <cstdint>
#include <deque>
#include <memory>
#include <optional>

#include "core/base/progress.h"
#include "core/frame/frame.h"

namespace glenhaze {

namespace detail {
struct MotionField;
}

/// Frames in, frames out, in order; works on the sensor's own pixels, after noise removal. The same bits
/// whatever the number of threads, and whatever frame it begins with when kReach frames stand before it. Not
/// safe for two threads at once.
class ShimmerCalmer {
 public:
  /// Frames before and after that are looked at; it holds as many back.
  static constexpr int kReach = 2;

  /// `amount`: share of the alternation that is taken out, 0..1. The first `lead` frames only stand beside
  /// those after them and do not come out.
  explicit ShimmerCalmer(double amount, int lead = 0);
  ~ShimmerCalmer();
  ShimmerCalmer(ShimmerCalmer&&) noexcept;
  ShimmerCalmer& operator=(ShimmerCalmer&&) noexcept;

  /// The frame that is finished by this one, if any. Frames that are not planar luma and chroma, and those
  /// without neighbours of their shape, come out as they are. Throws Error(Cancelled).
  std::optional<Frame> push(const Frame& frame, const Progress& progress = {});
  /// The frames still inside; to be called until it is empty.
  std::optional<Frame> drain(const Progress& progress = {});

 private:
  struct Held;
  static void follow(Held& before, Held& held, const Progress& progress);
  std::optional<detail::MotionField> motionTo(size_t at, int by) const;
  float noiseAt(size_t at) const;
  Frame finish(size_t at, const Progress& progress) const;
  std::optional<Frame> next(const Progress& progress);

  double amount_;
  int lead_;
  size_t next_ = 0;  // in window_: the frame to finish next
  std::deque<std::shared_ptr<Held>> window_;
};

}  // namespace glenhaze
