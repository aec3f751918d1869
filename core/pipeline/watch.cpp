#include "core/pipeline/watch.h"

#include "core/frame/reduce.h"

namespace glenhaze {

RenderWatch::Seconds RenderWatch::seconds() const {
  Seconds all{};
  for (size_t i = 0; i < all.size(); ++i) all[i] = 1e-9 * static_cast<double>(nanoseconds_[i].load());
  return all;
}

std::shared_ptr<const Frame> RenderWatch::sight() const {
  const std::scoped_lock lock(mutex_);
  return sight_;
}

void RenderWatch::add(Stage stage, std::chrono::steady_clock::duration time) {
  nanoseconds_[static_cast<size_t>(stage)] +=
      std::chrono::duration_cast<std::chrono::nanoseconds>(time).count();
}

void RenderWatch::pass(const Frame& frame) {
  constexpr std::chrono::seconds kApart(1);
  const auto now = std::chrono::steady_clock::now();
  {
    const std::scoped_lock lock(mutex_);
    if (sight_ && now - seen_ < kApart) return;
    seen_ = now;
  }
  Frame small = frame;
  while (std::max(small.width, small.height) > kSight && std::min(small.width, small.height) > 2)
    small = halvedFrame(small);
  const std::scoped_lock lock(mutex_);
  sight_ = std::make_shared<const Frame>(std::move(small));
}

}  // namespace glenhaze
