#pragma once

#include <cstdint>

namespace glenhaze::detail {

/// Positions are kept in steps that fit 16 bits: 1/50 px at 1280 wide, 1/17 px at 3840. Rounded as they are
/// tracked, so that a record read from its file is the same.
class PositionSteps {
 public:
  PositionSteps(int width, int height);
  uint16_t to(double px) const;
  float from(uint16_t steps) const { return static_cast<float>(steps / per_pixel_ - 1); }

 private:
  double per_pixel_;
};

}  // namespace glenhaze::detail
