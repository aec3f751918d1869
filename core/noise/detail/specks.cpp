#include "core/noise/detail/specks.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <utility>

#include "core/base/bilinear.h"

namespace glenhaze::detail {

namespace {

constexpr int kLargest = 32;    // px on a side; larger is a thing, not a speck
constexpr size_t kLeast = 3;    // px; fewer are chance
constexpr float kFar = 3.5F;    // deviations of a difference that chance does not reach
constexpr float kAgree = 2.5F;  // and those that it keeps within

float at(const SamplePlane& plane, float x, float y) {
  const float lowest = -kBorder + 1;
  x = std::clamp(x, lowest, static_cast<float>(plane.width + kBorder - 3));
  y = std::clamp(y, lowest, static_cast<float>(plane.height + kBorder - 3));
  const int ix = static_cast<int>(std::floor(x)), iy = static_cast<int>(std::floor(y));
  const float fx = x - static_cast<float>(ix), fy = y - static_cast<float>(iy);
  const int16_t *a = plane.row(iy) + ix, *b = plane.row(iy + 1) + ix;
  return bilinear(static_cast<float>(a[0]), static_cast<float>(a[1]), static_cast<float>(b[0]),
                  static_cast<float>(b[1]), fx, fy) /
         kSampleUnit;
}

// The motion around a cell without the cell itself, whose own is led astray by the speck.
BlockVector motionAround(const std::vector<BlockVector>& cells, int columns, int rows, int column, int row) {
  std::array<float, 16> dx{}, dy{};
  size_t n = 0;
  for (int j = -4; j <= 4; j += 2)
    for (int i = -4; i <= 4; i += 2) {
      if (std::max(std::abs(i), std::abs(j)) != 4) continue;
      const BlockVector& v =
          cells[static_cast<size_t>(std::clamp(row + j, 0, rows - 1)) * static_cast<size_t>(columns) +
                static_cast<size_t>(std::clamp(column + i, 0, columns - 1))];
      dx[n] = v.dx;
      dy[n++] = v.dy;
    }
  const auto half = static_cast<ptrdiff_t>(n / 2);
  std::nth_element(dx.begin(), dx.begin() + half, dx.begin() + static_cast<ptrdiff_t>(n));
  std::nth_element(dy.begin(), dy.begin() + half, dy.begin() + static_cast<ptrdiff_t>(n));
  return {dx[n / 2], dy[n / 2]};
}

class Finder {
 public:
  Finder(std::array<SamplePlane, 3>& planes, const SpeckSide& before, const SpeckSide& after,
         const float* variance)
      : luma_(planes[0]),
        sides_{before, after},
        variance_(variance),
        columns_(blocksAlong(luma_.width) + 1),
        rows_(blocksAlong(luma_.height) + 1),
        flagged_(static_cast<size_t>(luma_.width) * static_cast<size_t>(luma_.height), 0) {}

  std::vector<std::vector<std::pair<int, int>>> specks() {
    for (int row = 1; row + 1 < rows_; ++row)
      for (int column = 1; column + 1 < columns_; ++column)
        if (differs(0, column, row) && differs(1, column, row)) flagCell(column, row);
    std::vector<std::vector<std::pair<int, int>>> found;
    for (int y = 0; y < luma_.height; ++y)
      for (int x = 0; x < luma_.width; ++x)
        if (flag(x, y) == 1)
          if (auto one = component(x, y); !one.empty()) found.push_back(std::move(one));
    return found;
  }

  BlockVector motionAt(int side, int x, int y) const {
    return motionAround(*sides_[static_cast<size_t>(side)].cells, columns_, rows_, x / kStep + 1,
                        y / kStep + 1);
  }

 private:
  uint8_t& flag(int x, int y) {
    return flagged_[static_cast<size_t>(y) * static_cast<size_t>(luma_.width) + static_cast<size_t>(x)];
  }
  float sigmaAt(int x, int y) const {
    const int code = std::clamp(luma_.row(y)[x] / kSampleUnit, 0, 255);
    return std::sqrt(2 * std::max(0.25F, variance_[code]));
  }
  // Whether a cell is not found in a side's frame where the motion search says that it is: what moves on its
  // own is found there, and stays.
  bool differs(int side, int column, int row) const {
    const auto& cells = *sides_[static_cast<size_t>(side)].cells;
    const SamplePlane& other = (*sides_[static_cast<size_t>(side)].planes)[0];
    const BlockVector v =
        cells[static_cast<size_t>(row) * static_cast<size_t>(columns_) + static_cast<size_t>(column)];
    const int x0 = (column - 1) * kStep, y0 = (row - 1) * kStep;
    int far = 0;
    for (int y = y0; y < std::min(y0 + kStep, luma_.height); ++y)
      for (int x = x0; x < std::min(x0 + kStep, luma_.width); ++x) {
        const float d = at(other, static_cast<float>(x) + v.dx, static_cast<float>(y) + v.dy) -
                        static_cast<float>(luma_.row(y)[x]) / kSampleUnit;
        far += std::abs(d) > kFar * sigmaAt(x, y) ? 1 : 0;
      }
    return far >= 2;
  }
  void flagCell(int column, int row) {
    const int x0 = (column - 1) * kStep, y0 = (row - 1) * kStep;
    const BlockVector b = motionAt(0, x0, y0), a = motionAt(1, x0, y0);
    for (int y = y0; y < std::min(y0 + kStep, luma_.height); ++y)
      for (int x = x0; x < std::min(x0 + kStep, luma_.width); ++x) {
        const float here = static_cast<float>(luma_.row(y)[x]) / kSampleUnit, sigma = sigmaAt(x, y);
        const auto difference = [&](int side, BlockVector v) {
          return at((*sides_[static_cast<size_t>(side)].planes)[0], static_cast<float>(x) + v.dx,
                    static_cast<float>(y) + v.dy) -
                 here;
        };
        const float db = difference(0, b), da = difference(1, a);
        if (std::abs(db) > kFar * sigma && std::abs(da) > kFar * sigma && std::abs(db - da) < kAgree * sigma)
          flag(x, y) = 1;
      }
  }
  // What hangs together with a flagged pixel; empty when it is no speck by its size.
  std::vector<std::pair<int, int>> component(int x, int y) {
    std::vector<std::pair<int, int>> members{{x, y}};
    flag(x, y) = 2;
    int left = x, right = x, top = y, bottom = y;
    for (size_t i = 0; i < members.size(); ++i) {
      const auto [cx, cy] = members[i];
      for (int j = std::max(cy - 1, 0); j <= std::min(cy + 1, luma_.height - 1); ++j)
        for (int k = std::max(cx - 1, 0); k <= std::min(cx + 1, luma_.width - 1); ++k)
          if (flag(k, j) == 1) {
            flag(k, j) = 2;
            members.emplace_back(k, j);
          }
      left = std::min(left, cx), right = std::max(right, cx);
      top = std::min(top, cy), bottom = std::max(bottom, cy);
    }
    if (members.size() < kLeast || right - left >= kLargest || bottom - top >= kLargest) return {};
    if (isElsewhere(0, members) || isElsewhere(1, members)) return {};
    return members;
  }
  // Whether a side's frame shows the same thing nearby: then it moves on its own, faster or smaller than the
  // motion search can follow, and is no speck.
  bool isElsewhere(int side, const std::vector<std::pair<int, int>>& members) const {
    constexpr int kFarthest = 32;
    constexpr float kAlike = 0.4F;  // of its contrast
    const SamplePlane& other = (*sides_[static_cast<size_t>(side)].planes)[0];
    const size_t step = members.size() / 48 + 1;
    const auto differenceAt = [&](int dx, int dy) {
      int64_t sum = 0;
      for (size_t i = 0; i < members.size(); i += step) {
        const auto [x, y] = members[i];
        const int tx = std::clamp(x + dx, 0, other.width - 1), ty = std::clamp(y + dy, 0, other.height - 1);
        sum += std::abs(other.row(ty)[tx] - luma_.row(y)[x]);
      }
      return sum;
    };
    const BlockVector v = motionAt(side, members.front().first, members.front().second);
    const int cx = nearest(v.dx), cy = nearest(v.dy);
    const auto contrast = static_cast<float>(differenceAt(cx, cy));
    for (int dy = -kFarthest; dy <= kFarthest; ++dy)
      for (int dx = -kFarthest; dx <= kFarthest; ++dx)
        if (static_cast<float>(differenceAt(cx + dx, cy + dy)) < kAlike * contrast) return true;
    return false;
  }

  const SamplePlane& luma_;
  std::array<SpeckSide, 2> sides_;
  const float* variance_;
  int columns_, rows_;
  std::vector<uint8_t> flagged_;
};

}  // namespace

int mendSpecks(std::array<SamplePlane, 3>& planes, int count, int sx, int sy, const SpeckSide& before,
               const SpeckSide& after, const float* variance) {
  Finder finder(planes, before, after, variance);
  const auto specks = finder.specks();
  constexpr int kAround = 2;  // a speck's soft edge
  for (const auto& speck : specks)
    for (int p = 0; p < count; ++p) {
      SamplePlane& plane = planes[static_cast<size_t>(p)];
      const int hx = p == 0 ? 0 : sx, hy = p == 0 ? 0 : sy;
      std::vector<std::pair<int, int>> wide;
      for (const auto& [x, y] : speck)
        for (int j = -kAround; j <= kAround; ++j)
          for (int i = -kAround; i <= kAround; ++i)
            if (const int px = (x + i) >> hx, py = (y + j) >> hy;
                px >= 0 && py >= 0 && px < plane.width && py < plane.height)
              wide.emplace_back(px, py);
      std::sort(wide.begin(), wide.end());
      wide.erase(std::unique(wide.begin(), wide.end()), wide.end());
      for (const auto& [x, y] : wide) {
        const auto from = [&, x = x, y = y](int side, const SpeckSide& s) {
          const BlockVector v = finder.motionAt(side, x << hx, y << hy);
          return at((*s.planes)[static_cast<size_t>(p)],
                    static_cast<float>(x) + v.dx / static_cast<float>(1 << hx),
                    static_cast<float>(y) + v.dy / static_cast<float>(1 << hy));
        };
        plane.row(y)[x] =
            static_cast<int16_t>(std::lround((from(0, before) + from(1, after)) / 2 * kSampleUnit));
      }
    }
  return static_cast<int>(specks.size());
}

}  // namespace glenhaze::detail
