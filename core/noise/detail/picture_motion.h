#pragma once
// Where the picture's motion as a whole puts a block: the second-order polynomial of its place that most
// blocks with structure agree with. A camera that turns, zooms or moves before something far moves its
// picture so.

#include <array>

#include "core/noise/detail/motion_field.h"

namespace glenhaze::detail {

class PictureMotion {
 public:
  /// `trust`: structure with which a block's own vector is half believed.
  PictureMotion(const MotionField& field, float trust);

  /// False where no motion holds for most of the picture; at() is then of no use.
  bool told() const { return told_; }
  /// Of a block of the field, or of a place between blocks.
  BlockVector at(float column, float row) const;

 private:
  static constexpr int kTerms = 6;
  std::array<float, kTerms> terms(float column, float row) const;
  int columns_, rows_;
  std::array<float, kTerms> x_{}, y_{};
  bool told_ = false;
};

}  // namespace glenhaze::detail
