#pragma once
// Which parts of a picture the evidence touches.

#include <span>
#include <vector>

#include "core/lens/chart.h"

namespace glenhaze {

/// Grid cells inside the convex hull of any of the point sets.
std::vector<bool> coveredByHulls(std::span<const std::vector<Point>> sets, int width, int height);

/// Grid cells within a cell's distance of any point.
std::vector<bool> coveredByPoints(std::span<const std::vector<Point>> sets, int width, int height);

/// Share of true cells.
double coveredShare(const std::vector<bool>& cells);

/// What is said of the corners that nothing covers; "" when all are. "the lower right corner".
std::string uncoveredCorners(const std::vector<bool>& cells);

}  // namespace glenhaze
