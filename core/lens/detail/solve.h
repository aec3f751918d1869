#pragma once
// Shared by the two lens measurements: parameters as solvers see them.

#include <array>
#include <vector>

#include "core/lens/model.h"

namespace glenhaze::detail {

/// fx fy cx cy k0..k4.
using Intrinsics = std::array<double, 9>;

Intrinsics intrinsicsOf(const Lens& lens);
Lens lensOf(const Intrinsics& values, LensModel model, int width, int height);

/// Indices of intrinsics that a model does not use: held constant.
std::vector<int> unusedOf(LensModel model);

/// Bayes' information criterion up to a constant: n·ln(rss/n) + p·ln(n) (G. Schwarz, "Estimating the
/// dimension of a model", 1978). Lower is better.
double informationCriterion(double rss, int count, int parameters);

}  // namespace glenhaze::detail
