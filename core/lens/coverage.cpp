#include "core/lens/coverage.h"

#include <algorithm>
#include <array>
#include <opencv2/imgproc.hpp>

namespace glenhaze {

namespace {

Point cellCentre(int column, int row, int width, int height) {
  return {(column + 0.5) * width / kCoverageColumns - 0.5, (row + 0.5) * height / kCoverageRows - 0.5};
}

constexpr size_t kCells = static_cast<size_t>(kCoverageColumns) * kCoverageRows;

}  // namespace

std::vector<bool> coveredByHulls(std::span<const std::vector<Point>> sets, int width, int height) {
  std::vector<bool> cells(kCells, false);
  for (const auto& set : sets) {
    std::vector<cv::Point2f> points, hull;
    for (const Point& p : set) points.emplace_back(static_cast<float>(p.x), static_cast<float>(p.y));
    if (points.size() < 3) continue;
    cv::convexHull(points, hull);
    for (int r = 0; r < kCoverageRows; ++r)
      for (int c = 0; c < kCoverageColumns; ++c) {
        const Point p = cellCentre(c, r, width, height);
        if (cv::pointPolygonTest(hull, {static_cast<float>(p.x), static_cast<float>(p.y)}, false) >= 0)
          cells[static_cast<size_t>(r * kCoverageColumns + c)] = true;
      }
  }
  return cells;
}

std::vector<bool> coveredByPoints(std::span<const std::vector<Point>> sets, int width, int height) {
  std::vector<bool> cells(kCells, false);
  for (const auto& set : sets)
    for (const Point& p : set) {
      const int c = static_cast<int>((p.x + 0.5) / width * kCoverageColumns);
      const int r = static_cast<int>((p.y + 0.5) / height * kCoverageRows);
      for (int j = -1; j <= 1; ++j)
        for (int i = -1; i <= 1; ++i)
          if (c + i >= 0 && r + j >= 0 && c + i < kCoverageColumns && r + j < kCoverageRows)
            cells[static_cast<size_t>((r + j) * kCoverageColumns + c + i)] = true;
    }
  return cells;
}

double coveredShare(const std::vector<bool>& cells) {
  return cells.empty() ? 0
                       : static_cast<double>(std::count(cells.begin(), cells.end(), true)) /
                             static_cast<double>(cells.size());
}

std::string uncoveredCorners(const std::vector<bool>& cells) {
  if (cells.size() != kCells) return "";
  struct Corner {
    int c0, r0;
    const char* name;
  };
  constexpr int kC = kCoverageColumns / 4, kR = kCoverageRows / 4;
  constexpr std::array<Corner, 4> kCorners = {{{0, 0, "upper left"},
                                               {kCoverageColumns - kC, 0, "upper right"},
                                               {0, kCoverageRows - kR, "lower left"},
                                               {kCoverageColumns - kC, kCoverageRows - kR, "lower right"}}};
  std::vector<std::string> missing;
  for (const Corner& corner : kCorners) {
    int count = 0;
    for (int r = 0; r < kR; ++r)
      for (int c = 0; c < kC; ++c)
        count += cells[static_cast<size_t>((corner.r0 + r) * kCoverageColumns + corner.c0 + c)] ? 1 : 0;
    if (count * 4 < kC * kR) missing.emplace_back(corner.name);
  }
  if (missing.empty()) return "";
  if (missing.size() == 4) return "any corner";
  std::string text = "the " + missing[0];
  for (size_t i = 1; i < missing.size(); ++i)
    text += (i + 1 == missing.size() ? " and the " : ", the ") + missing[i];
  return text + (missing.size() > 1 ? " corners" : " corner");
}

}  // namespace glenhaze
