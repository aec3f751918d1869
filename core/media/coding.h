#pragma once
// How a clip's pictures were coded, and how coarsely, as far as its stream itself says. A step is the
// distance between two values that a coefficient of an orthonormal transform of the picture can have: noise
// well below it is gone. Steps of H.264: H. Malvar et al., "Low-complexity transform and quantization in
// H.264/AVC", IEEE Trans. Circuits and Systems for Video Technology 13 (2003).

#include <optional>

#include "core/base/progress.h"
#include "core/media/clip_info.h"

namespace glenhaze {

struct Coding {
  /// Pictures were coded with loss, and from other pictures: what is not worth its bits is shown as it was
  /// foretold, which is as its surroundings and the pictures before and after it moved.
  bool predicts = false;
  bool between = false;  ///< some of them from pictures before and after
  /// Median over the blocks of luma of the clip's first frames, 8-bit codes. Empty where the stream is of a
  /// kind that does not say (all but H.264), or without loss.
  std::optional<double> step;
};

/// Throws Error(Unreadable), Error(Cancelled).
Coding codingOf(const ClipInfo& clip, const Progress& progress = {});

}  // namespace glenhaze
