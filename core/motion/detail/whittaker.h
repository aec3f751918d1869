#pragma once
// Smoothing of one series by Whittaker's method of second differences.

#include <span>
#include <vector>

namespace glenhaze::detail {

/// The series p that minimises Σ wᵢ(pᵢ − rᵢ)² + λ Σ (pᵢ₋₁ − 2pᵢ + pᵢ₊₁)², by Cholesky's method on its band of
/// five. Weights must be above 0; straight lines pass unchanged. Fewer than 3 values are returned as they
/// are.
std::vector<double> smoothed(std::span<const double> series, std::span<const double> weights, double lambda);

/// λ of a time constant: what swings slower passes, half of the height is left at a period of 2π·τ.
double lambdaOf(double time_constant_s, double fps);

}  // namespace glenhaze::detail
