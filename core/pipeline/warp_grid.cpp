#include <algorithm>
#include <array>
#include <atomic>
#include <cmath>

#include "core/base/parallel.h"
#include "core/pipeline/detail/sample_kernel.h"
#include "core/pipeline/warp.h"

namespace glenhaze {

namespace {

constexpr int kUsualStep = 16, kWideStep = 32;

// Lagrange weights of the cubic through points at −1, 0, 1, 2; exact for cubics.
std::array<double, 4> cubicWeights(double t) {
  return {-t * (t - 1) * (t - 2) / 6, (t + 1) * (t - 1) * (t - 2) / 2, -(t + 1) * t * (t - 2) / 2,
          (t + 1) * t * (t - 1) / 6};
}

}  // namespace

WarpGrid::WarpGrid(PictureSize output, PictureSize source, PixelMap map, Care care)
    : output_(output), source_(source), map_(std::move(map)) {
  setStep(care == Care::Sampled ? kWideStep : kUsualStep);
  if (!judgeCells(care == Care::Every)) return;
  if (step_ == kWideStep) {
    setStep(kUsualStep);
    if (!judgeCells(false)) return;
  }
  if (care == Care::Sampled) judgeCells(true);
}

// Points from one step before the picture to at least two steps behind its last pixel.
void WarpGrid::setStep(int step) {
  step_ = step;
  columns_ = (output_.width + 1) / step + 4;
  rows_ = (output_.height + 1) / step + 4;
  fillPoints();
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
        const auto p = map_({static_cast<double>((c - 1) * step_), static_cast<double>((r - 1) * step_)});
        if (!p) continue;
        px_[at] = static_cast<float>(p->x);
        py_[at] = static_cast<float>(p->y);
        valid_[at] = 1;
      }
  });
}

int WarpGrid::columnOf(double x) const {
  return std::clamp(static_cast<int>(std::floor(x / step_)) + 1, 1, columns_ - 3);
}
int WarpGrid::rowOf(double y) const {
  return std::clamp(static_cast<int>(std::floor(y / step_)) + 1, 1, rows_ - 3);
}

const WarpGrid::Cell& WarpGrid::cell(double x, double y) const {
  return cells_[static_cast<size_t>(rowOf(y) * columns_ + columnOf(x))];
}

Point WarpGrid::interpolate(double x, double y) const {
  const int c = columnOf(x), r = rowOf(y);
  const auto wx = cubicWeights(x / step_ - (c - 1));
  const auto wy = cubicWeights(y / step_ - (r - 1));
  Point sum;
  for (int j = 0; j < 4; ++j)
    for (int i = 0; i < 4; ++i) {
      const auto at = static_cast<size_t>((r + j - 1) * columns_ + c + i - 1);
      const double w = wx[static_cast<size_t>(i)] * wy[static_cast<size_t>(j)];
      sum.x += w * static_cast<double>(px_[at]);
      sum.y += w * static_cast<double>(py_[at]);
    }
  return sum;
}

bool WarpGrid::judgeCell(int c, int r, bool exactly) {
  Cell& cell = cells_[static_cast<size_t>(r * columns_ + c)];
  int known = 0;
  for (int j = -1; j <= 2; ++j)
    for (int i = -1; i <= 2; ++i) known += valid_[static_cast<size_t>((r + j) * columns_ + c + i)];
  const double x0 = (c - 1) * step_, y0 = (r - 1) * step_;
  if (known == 0) {
    cell.blank = true;
    return false;
  }
  if (known < 16) {
    cell.exact = cell.edge = true;
  } else if (exactly) {
    // The middle is where a cubic errs most; the others guard against a lucky zero there.
    for (const Point t : {Point{0.5, 0.5}, Point{0.15, 0.6}, Point{0.8, 0.2}, Point{0.6, 0.9}}) {
      if (cell.exact) break;
      const Point at{x0 + t.x * step_, y0 + t.y * step_};
      const auto exact = map_(at);
      if (!exact) {
        cell.exact = true;
        break;
      }
      const Point off = *exact - interpolate(at.x, at.y);
      if (dot(off, off) > kAllowed_px * kAllowed_px) cell.exact = true;
    }
  }
  measureReach(cell, c, r);
  return cell.exact && known == 16;
}

// Reach of the kernel from the cell's own slopes: the largest of its four sides.
void WarpGrid::measureReach(Cell& cell, int c, int r) const {
  float scale_x = 0.01F, scale_y = 0.01F;
  const auto step = static_cast<float>(step_);
  const auto index = [&](int i, int j) { return static_cast<size_t>((r + j) * columns_ + c + i); };
  for (int j = 0; j < 2; ++j)
    for (int i = 0; i < 2; ++i) {
      const size_t a = index(i, j), h = index(1 - i, j), v = index(i, 1 - j);
      if (!valid_[a] || !valid_[h] || !valid_[v]) continue;
      const auto steep = [step](float u, float w) { return std::sqrt(u * u + w * w) / step; };
      scale_x = std::max(scale_x, steep(px_[h] - px_[a], px_[v] - px_[a]));
      scale_y = std::max(scale_y, steep(py_[h] - py_[a], py_[v] - py_[a]));
      const float margin = 2 + step * 0.5F * std::max(scale_x, scale_y);
      const auto right = static_cast<float>(source_.width - 1),
                 bottom = static_cast<float>(source_.height - 1);
      if (px_[a] < margin || py_[a] < margin || px_[a] > right - margin || py_[a] > bottom - margin)
        cell.edge = true;
    }
  cell.shrink_x = std::log2(scale_x);
  cell.shrink_y = std::log2(scale_y);
}

bool WarpGrid::isSample(int c, int r) const {
  const int outer = step_ == kWideStep ? 2 : 3;
  return c < outer || r < outer || c >= columns_ - 2 - outer || r >= rows_ - 2 - outer ||
         (c + 3 * r) % 8 == 0;
}

bool WarpGrid::judgeCells(bool all) {
  cells_.assign(px_.size(), Cell{});
  std::atomic<bool> uneven = false;
  parallelBlocks(rows_ - 3, 4, [&](int first, int last) {
    for (int r = first + 1; r < last + 1; ++r)
      for (int c = 1; c < columns_ - 2; ++c)
        if (judgeCell(c, r, all || isSample(c, r))) uneven = true;
  });
  return uneven;
}

void WarpGrid::placeRow(int y, const PlaneShape& output, const PlaneShape& source, float margin,
                        RowPositions& row) const {
  const double luma_y = output.raster.offset_y + y * output.raster.step_y;
  const BlendedRow blended = blendedRow(luma_y);
  row.new_cells = blended.cells != row.cell_row;
  if (row.new_cells) listStretches(blended.cells, output, row);
  blendRows(blended, row);
  detail::CubicRow cubic;
  cubic.gx = row.gx.data();
  cubic.gy = row.gy.data();
  cubic.step = static_cast<float>(output.raster.step_x / step_);
  cubic.scale_x = static_cast<float>(1 / source.raster.step_x);
  cubic.scale_y = static_cast<float>(1 / source.raster.step_y);
  cubic.offset_x = static_cast<float>(source.raster.offset_x / source.raster.step_x);
  cubic.offset_y = static_cast<float>(source.raster.offset_y / source.raster.step_y);
  cubic.low = -margin;
  cubic.high_x = static_cast<float>(source.width) + margin;
  cubic.high_y = static_cast<float>(source.height) + margin;
  detail::placeCubics(cubic, row.cubics, row.xs.data(), row.ys.data());
  for (const Stretch& stretch : row.stretches)
    if (stretch.cell->exact)
      exactRun(luma_y, stretch.first, stretch.end, output.raster, source.raster, row.xs.data(),
               row.ys.data());
}

void WarpGrid::listStretches(int r, const PlaneShape& output, RowPositions& to) const {
  to.cell_row = r;
  to.stretches.clear();
  to.cubics.clear();
  to.xs.resize(static_cast<size_t>(output.width) + detail::kSurplus);
  to.ys.resize(static_cast<size_t>(output.width) + detail::kSurplus);
  for (int i = 0; i < output.width;) {
    const double luma_x = output.raster.offset_x + i * output.raster.step_x;
    const int c = columnOf(luma_x);
    const int end =
        std::min(output.width, c >= columns_ - 3 ? output.width : firstSampleBehind(c, output.raster));
    const Cell& cell = cells_[static_cast<size_t>(r * columns_ + c)];
    to.stretches.push_back({&cell, i, end});
    if (!cell.exact && !cell.blank)
      to.cubics.push_back({i, end, c - 1, static_cast<float>(luma_x / step_ - (c - 1))});
    i = end;
  }
}

int WarpGrid::firstSampleBehind(int column, const Raster& raster) const {
  return static_cast<int>(std::ceil((column * step_ - raster.offset_x) / raster.step_x - 1e-9));
}

WarpGrid::BlendedRow WarpGrid::blendedRow(double luma_y) const {
  const int r = rowOf(luma_y);
  const auto wy = cubicWeights(luma_y / step_ - (r - 1));
  BlendedRow row{r, {}};
  for (size_t j = 0; j < 4; ++j) row.weights[j] = static_cast<float>(wy[j]);
  return row;
}

void WarpGrid::blendRows(const BlendedRow& row, RowPositions& to) const {
  const auto n = static_cast<size_t>(columns_);
  to.gx.resize(n);
  to.gy.resize(n);
  const std::array<float, 4>& w = row.weights;
  const size_t first = static_cast<size_t>(row.cells - 1) * n;
  const float *x = px_.data() + first, *v = py_.data() + first;
  for (size_t c = 0; c < n; ++c) {
    to.gx[c] = w[0] * x[c] + w[1] * x[c + n] + w[2] * x[c + 2 * n] + w[3] * x[c + 3 * n];
    to.gy[c] = w[0] * v[c] + w[1] * v[c + n] + w[2] * v[c + 2 * n] + w[3] * v[c + 3 * n];
  }
}

void WarpGrid::exactRun(double luma_y, int first, int last, const Raster& out, const Raster& in, float* xs,
                        float* ys) const {
  for (int n = first; n < last; ++n) {
    const auto p = map_({out.offset_x + n * out.step_x, luma_y});
    xs[n] = p ? static_cast<float>((p->x - in.offset_x) / in.step_x) : kNowhere;
    ys[n] = p ? static_cast<float>((p->y - in.offset_y) / in.step_y) : kNowhere;
  }
}

std::optional<Point> WarpGrid::at(Point output) const {
  const Cell& here = cell(output.x, output.y);
  if (here.blank) return std::nullopt;
  if (here.exact) return map_(output);
  return interpolate(output.x, output.y);
}

}  // namespace glenhaze
