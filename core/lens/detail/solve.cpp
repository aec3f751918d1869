#include "core/lens/detail/solve.h"

#include <algorithm>
#include <cmath>

namespace glenhaze::detail {

Intrinsics intrinsicsOf(const Lens& lens) {
  return {lens.fx, lens.fy, lens.cx, lens.cy, lens.k[0], lens.k[1], lens.k[2], lens.k[3], lens.k[4]};
}

Lens lensOf(const Intrinsics& v, LensModel model, int width, int height) {
  Lens lens;
  lens.model = model;
  lens.width = width;
  lens.height = height;
  lens.fx = v[0];
  lens.fy = v[1];
  lens.cx = v[2];
  lens.cy = v[3];
  for (size_t i = 0; i < lens.k.size(); ++i) lens.k[i] = v[4 + i];
  return lens;
}

std::vector<int> unusedOf(LensModel model) {
  std::vector<int> unused;
  for (int i = 4 + numCoefficients(model); i < 9; ++i) unused.push_back(i);
  return unused;
}

double informationCriterion(double rss, int count, int parameters) {
  return count * std::log(std::max(rss, 1e-12) / count) + parameters * std::log(count);
}

}  // namespace glenhaze::detail
