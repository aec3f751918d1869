#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/parallel.h"
#include "core/pipeline/warp.h"

namespace glenhaze {

namespace {

// Lagrange weights of the cubic through points at −1, 0, 1, 2; exact for cubics.
std::array<double, 4> cubicWeights(double t) {
  return {-t * (t - 1) * (t - 2) / 6, (t + 1) * (t - 1) * (t - 2) / 2, -(t + 1) * t * (t - 2) / 2,
          (t + 1) * t * (t - 1) / 6};
}

}  // namespace

WarpGrid::WarpGrid(PictureSize output, PictureSize source, PixelMap map)
    : output_(output), source_(source), map_(std::move(map)) {
  // Points from one step before the picture to at least two steps behind its last pixel.
  columns_ = (output.width + 1) / kStep + 4;
  rows_ = (output.height + 1) / kStep + 4;
  fillPoints();
  fillCells();
}

void WarpGrid::fillPoints() {
  const auto count = static_cast<size_t>(columns_) * static_cast<size_t>(rows_);
  px_.assign(count, 0);
  py_.assign(count, 0);
  valid_.assign(count, 0);
  parallelBlocks(rows_, 4, [&](int first, int last) {
    for (int r = first; r < last; ++r)
      for (int c = 0; c < columns_; ++c) {
        const auto at = static_cast<size_t>(r * columns_ + c);
        const auto p = map_({static_cast<double>((c - 1) * kStep), static_cast<double>((r - 1) * kStep)});
        if (!p) continue;
        px_[at] = p->x;
        py_[at] = p->y;
        valid_[at] = 1;
      }
  });
}

int WarpGrid::columnOf(double x) const {
  return std::clamp(static_cast<int>(std::floor(x / kStep)) + 1, 1, columns_ - 3);
}
int WarpGrid::rowOf(double y) const {
  return std::clamp(static_cast<int>(std::floor(y / kStep)) + 1, 1, rows_ - 3);
}

const WarpGrid::Cell& WarpGrid::cell(double x, double y) const {
  return cells_[static_cast<size_t>(rowOf(y) * columns_ + columnOf(x))];
}

Point WarpGrid::interpolate(double x, double y) const {
  const int c = columnOf(x), r = rowOf(y);
  const auto wx = cubicWeights(x / kStep - (c - 1));
  const auto wy = cubicWeights(y / kStep - (r - 1));
  Point sum;
  for (int j = 0; j < 4; ++j)
    for (int i = 0; i < 4; ++i) {
      const auto at = static_cast<size_t>((r + j - 1) * columns_ + c + i - 1);
      const double w = wx[static_cast<size_t>(i)] * wy[static_cast<size_t>(j)];
      sum.x += w * px_[at];
      sum.y += w * py_[at];
    }
  return sum;
}

void WarpGrid::judgeCell(int c, int r) {
  Cell& cell = cells_[static_cast<size_t>(r * columns_ + c)];
  int known = 0;
  for (int j = -1; j <= 2; ++j)
    for (int i = -1; i <= 2; ++i) known += valid_[static_cast<size_t>((r + j) * columns_ + c + i)];
  const double x0 = (c - 1) * kStep, y0 = (r - 1) * kStep;
  if (known == 0) {
    cell.blank = true;
    return;
  }
  if (known < 16) {
    cell.exact = cell.edge = true;
  } else {
    // The middle is where a cubic errs most; a second point guards against a lucky zero there.
    for (const Point t : {Point{0.5, 0.5}, Point{0.2, 0.8}}) {
      const Point at{x0 + t.x * kStep, y0 + t.y * kStep};
      const auto exact = map_(at);
      if (!exact || length(*exact - interpolate(at.x, at.y)) > kAllowed_px) cell.exact = true;
    }
  }
  // Reach of the kernel from the cell's own slopes; the largest of its four sides.
  float scale_x = 0, scale_y = 0;
  const auto index = [&](int i, int j) { return static_cast<size_t>((r + j) * columns_ + c + i); };
  for (int j = 0; j < 2; ++j)
    for (int i = 0; i < 2; ++i) {
      if (!valid_[index(i, j)]) continue;
      const size_t a = index(i, j), h = index(1 - i, j), v = index(i, 1 - j);
      const double dxh = valid_[h] ? (px_[h] - px_[a]) / kStep : 1, dyh = valid_[h] ? (py_[h] - py_[a]) / kStep : 0;
      const double dxv = valid_[v] ? (px_[v] - px_[a]) / kStep : 0, dyv = valid_[v] ? (py_[v] - py_[a]) / kStep : 1;
      scale_x = std::max(scale_x, static_cast<float>(std::hypot(dxh, dxv)));
      scale_y = std::max(scale_y, static_cast<float>(std::hypot(dyh, dyv)));
      const double margin = 2 + kStep * 0.5 * std::max(scale_x, scale_y);
      if (px_[a] < margin || py_[a] < margin || px_[a] > source_.width - 1 - margin ||
          py_[a] > source_.height - 1 - margin)
        cell.edge = true;
    }
  cell.scale_x = scale_x;
  cell.scale_y = scale_y;
}

void WarpGrid::fillCells() {
  cells_.assign(px_.size(), Cell{});
  parallelBlocks(rows_ - 3, 4, [&](int first, int last) {
    for (int r = first + 1; r < last + 1; ++r)
      for (int c = 1; c < columns_ - 2; ++c) judgeCell(c, r);
  });
}

void WarpGrid::positions(double y, double x_first, double x_step, int count, float* xs, float* ys) const {
  const int r = rowOf(y);
  const auto wy = cubicWeights(y / kStep - (r - 1));
  int i = 0;
  while (i < count) {
    const double x = x_first + i * x_step;
    const int c = columnOf(x);
    const double cell_end = c >= columns_ - 3 ? 1e18 : static_cast<double>(c) * kStep;
    int end = i + 1;
    while (end < count && x_first + end * x_step < cell_end) ++end;
    const Cell& cell = cells_[static_cast<size_t>(r * columns_ + c)];
    if (cell.blank) {
      std::fill(xs + i, xs + end, kNowhere);
      std::fill(ys + i, ys + end, kNowhere);
    } else if (cell.exact) {
      for (int n = i; n < end; ++n) {
        const auto p = map_({x_first + n * x_step, y});
        xs[n] = p ? static_cast<float>(p->x) : kNowhere;
        ys[n] = p ? static_cast<float>(p->y) : kNowhere;
      }
    } else {
      std::array<double, 4> gx{}, gy{};
      for (size_t k = 0; k < 4; ++k)
        for (size_t j = 0; j < 4; ++j) {
          const size_t at = (static_cast<size_t>(r) + j - 1) * static_cast<size_t>(columns_) +
                            static_cast<size_t>(c) + k - 1;
          gx[k] += wy[j] * px_[at];
          gy[k] += wy[j] * py_[at];
        }
      // The Lagrange cubic in powers of t.
      const auto powers = [](const std::array<double, 4>& g) {
        return std::array<double, 4>{g[1], -g[0] / 3 - g[1] / 2 + g[2] - g[3] / 6, (g[0] + g[2]) / 2 - g[1],
                                     (g[3] - g[0]) / 6 + (g[1] - g[2]) / 2};
      };
      const auto ax = powers(gx), ay = powers(gy);
      for (int n = i; n < end; ++n) {
        const double t = (x_first + n * x_step) / kStep - (c - 1);
        xs[n] = static_cast<float>(ax[0] + t * (ax[1] + t * (ax[2] + t * ax[3])));
        ys[n] = static_cast<float>(ay[0] + t * (ay[1] + t * (ay[2] + t * ay[3])));
      }
    }
    i = end;
  }
}

}  // namespace glenhaze
