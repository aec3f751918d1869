#pragma once
// How coarsely a clip's pictures were coded, as its stream itself says. A step is the distance between two
// values that a coefficient of an orthonormal transform of the picture can have: noise well below it is gone.
// Steps of H.264: H. Malvar et al., "Low-complexity transform and quantization in H.264/AVC", IEEE Trans.
// Circuits and Systems for Video Technology 13 (2003).

#include <optional>

#include "core/base/progress.h"
#include "core/media/clip_info.h"

namespace glenhaze {

/// Median over the blocks of luma of the clip's first frames, 8-bit codes. Empty where the stream is of a
/// kind that does not say (all but H.264), or losslessly coded. Throws Error(Unreadable), Error(Cancelled).
std::optional<double> coderStep(const ClipInfo& clip, const Progress& progress = {});

}  // namespace glenhaze
