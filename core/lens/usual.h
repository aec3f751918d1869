#pragma once
// The lens that is supposed where nothing says one.

#include <algorithm>

#include "core/lens/model.h"

namespace glenhaze {

/// Without a bend, its focal length three quarters of the longer side: 67° across (common practice, no
/// source).
inline Lens usualLens(int width, int height) {
  constexpr double kUsual = 0.75;
  return straightLens(width, height, kUsual * std::max(width, height));
}

}  // namespace glenhaze
