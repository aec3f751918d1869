#pragma once
// One frame's step from its pairs, by weighted least squares.

#include "core/motion/detail/path_solver.h"

namespace glenhaze::detail {

/// Whether the step is known to within a few px, or well.
enum class Start { Far, Near };

/// From `step` on. With `full`, also shift and scale: a ray (x, y, z) of this frame came from
/// (x − hx·z, y − hy·z, eˢ·z) of the one before. `pixel`: one of the middle, in rays.
Refined refine(const Pairs& pairs, const Step& step, bool full, double pixel, Start start = Start::Near);

}  // namespace glenhaze::detail
