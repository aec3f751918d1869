#pragma once
// What is slow and what is quick of a course over frames.

#include <vector>

namespace glenhaze::detail {

/// What changes for longer is light, not flicker.
constexpr double kFlickerWindow_s = 1.0;
/// Frames to each side that the slow part of flicker is sought in.
int flickerReach(double fps);

/// What is left of a path when its slow part is taken away: a line fitted around each frame (W. Cleveland,
/// "Robust locally weighted regression and smoothing scatterplots", JASA 1979, without the robust rounds),
/// weights by a raised cosine. Straight ramps are wholly slow, also at the ends.
std::vector<double> quickPart(const std::vector<double>& path, int reach);

double rmsOf(const std::vector<double>& values);

/// The strongest rhythm, where it holds a fair share of the whole; else 0.
double rhythmOf(const std::vector<double>& values, double fps);

}  // namespace glenhaze::detail
