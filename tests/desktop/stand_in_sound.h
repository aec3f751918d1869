#pragma once
// A sound device that is none.

#include <vector>

#include "desktop/compare/loop_sound.h"

namespace glenhaze::desktop {

class StandInSound : public SoundOutput {
 public:
  bool there = true;
  double heard = 0;
  bool available() const override { return there; }
  void start(std::function<void(std::span<float>)> fill) override {
    fill_ = std::move(fill);
    heard = 0;
  }
  void stop() override { fill_ = nullptr; }
  double heard_s() const override { return heard; }
  bool started() const { return fill_ != nullptr; }
  /// What would be heard next, channels side by side.
  std::vector<float> draw(size_t frames) {
    std::vector<float> samples(frames * kChannels);
    fill_(samples);
    return samples;
  }

 private:
  std::function<void(std::span<float>)> fill_;
};

}  // namespace glenhaze::desktop
