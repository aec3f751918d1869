#include "core/pipeline/warp.h"

#include <algorithm>
#include <array>
#include <cassert>
#include <cmath>
#include <cstring>
#include <numbers>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/pipeline/detail/place_device.h"
#include "core/pipeline/detail/sample_kernel.h"

namespace glenhaze {

using detail::KernelTable;
using detail::PaddedSource;
using detail::TapPolynomials;

namespace {

constexpr int kPhases = 256;
constexpr int kLevelsPerOctave = 8;
constexpr int kLevels = 2 * kLevelsPerOctave + 1;  // kernels for shrinking by 1 to 4
constexpr int kMargin = 40;                        // half of the widest kernel, padding, and slack
constexpr double kLobes = 3;
constexpr int kFittedLevels = 4;  // kernels of up to 8 taps also come as polynomials

double lanczos(double x) {
  if (std::abs(x) < 1e-9) return 1;
  if (std::abs(x) >= kLobes) return 0;
  const double p = std::numbers::pi * x;
  return kLobes * std::sin(p) * std::sin(p / kLobes) / (p * p);
}

struct KernelStore {
  std::vector<float> weights;
  KernelTable table;
  TapPolynomials fitted;  // only for the first kFittedLevels
};

// Interpolates every tap's weight at Chebyshev points of the phase: near the best polynomial there is.
// Sums stay exactly 1 because interpolation is linear and reproduces the constant.
TapPolynomials fitTaps(double scale, int taps) {
  constexpr int n = TapPolynomials::kEven + TapPolynomials::kOdd;
  TapPolynomials fitted;
  fitted.taps = taps;
  const auto weightAt = [&](int t, double u) { return lanczos((t - taps / 2 + 0.5 - u) / scale); };
  std::array<double, n> node{}, sum{};
  for (size_t i = 0; i < n; ++i) {
    node[i] = 0.5 * std::cos(std::numbers::pi * (static_cast<double>(i) + 0.5) / n);
    for (int t = 0; t < taps; ++t) sum[i] += weightAt(t, node[i]);
  }
  for (int t = 0; t < taps / 2; ++t) {
    // Newton's divided differences, multiplied out into powers of u.
    std::array<double, n> divided{}, powers{};
    for (size_t i = 0; i < n; ++i) divided[i] = weightAt(t, node[i]) / sum[i];
    for (size_t order = 1; order < n; ++order)
      for (size_t i = n - 1; i >= order; --i)
        divided[i] = (divided[i] - divided[i - 1]) / (node[i] - node[i - order]);
    for (size_t i = n; i-- > 0;) {
      for (size_t k = n - 1; k > 0; --k) powers[k] = powers[k - 1] - node[i] * powers[k];
      powers[0] = divided[i] - node[i] * powers[0];
    }
    for (size_t k = 0; k < n; ++k)
      (k % 2 == 0 ? fitted.even[t] : fitted.odd[t])[k / 2] = static_cast<float>(powers[k]);
  }
  return fitted;
}

KernelStore makeKernel(double scale) {
  KernelStore store;
  const int taps = 2 * static_cast<int>(std::ceil(kLobes * scale - 1e-9));
  const int padded = (taps + 7) / 8 * 8;
  store.weights.assign(static_cast<size_t>(kPhases * padded), 0.0F);
  for (int phase = 0; phase < kPhases; ++phase) {
    const double at = static_cast<double>(phase) / kPhases;
    double sum = 0;
    for (int t = 0; t < taps; ++t) sum += lanczos((t - taps / 2 + 1 - at) / scale);
    for (int t = 0; t < taps; ++t)
      store.weights[static_cast<size_t>(phase * padded + t)] =
          static_cast<float>(lanczos((t - taps / 2 + 1 - at) / scale) / sum);
  }
  store.table = {store.weights.data(), taps, padded};
  return store;
}

// All kernels, made once per process and never changed: a constant, not state.
const std::array<KernelStore, kLevels>& kernels() {
  static const auto store = [] {
    std::array<KernelStore, kLevels> all;
    for (size_t i = 0; i < kLevels; ++i) {
      const double scale = std::exp2(static_cast<double>(i) / kLevelsPerOctave);
      all[i] = makeKernel(scale);
      if (i < kFittedLevels) all[i].fitted = fitTaps(scale, all[i].table.taps);
    }
    return all;
  }();
  return store;
}

// `shrink`: log2 of source samples per output sample. Up to 4 % is left to the plain kernel, whose own
// roll-off covers it.
int levelFor(float shrink) {
  constexpr float kTolerance = 0.0566F;  // log2(1.04)
  // Rounds up without a call into the maths library, which shows in profiles.
  const int level = kLevels - static_cast<int>(kLevels - std::min(kLevelsPerOctave * (shrink - kTolerance),
                                                                  static_cast<float>(kLevels)));
  return std::clamp(level, 0, kLevels - 1);
}

// All of them for devices.
const detail::DeviceKernels& deviceKernels() {
  static const auto laid_out = [] {
    detail::DeviceKernels all;
    for (size_t i = 0; i < kLevels; ++i) {
      const KernelStore& one = kernels()[i];
      all.levels.push_back({one.table.taps, one.table.padded, static_cast<int>(all.weights.size()), 0});
      all.weights.insert(all.weights.end(), one.weights.begin(), one.weights.end());
      if (i >= kFittedLevels) continue;
      std::array<float, 28>& fitted = all.fitted.emplace_back();
      static_assert(sizeof(one.fitted.even) + sizeof(one.fitted.odd) == sizeof(fitted));
      std::memcpy(fitted.data(), one.fitted.even, sizeof(one.fitted.even));
      std::memcpy(fitted.data() + 16, one.fitted.odd, sizeof(one.fitted.odd));
    }
    return all;
  }();
  return laid_out;
}

const KernelTable& kernelFor(float shrink) { return kernels()[static_cast<size_t>(levelFor(shrink))].table; }

// A copy of a plane with its border repeated all around.
struct PaddedPlane {
  std::unique_ptr<uint8_t[]> bytes;
  PaddedSource source;
  int width = 0, height = 0;
};

PaddedPlane padPlane(const Plane& plane, int bytes_per_sample) {
  PaddedPlane padded;
  padded.width = plane.width;
  padded.height = plane.height;
  const auto b = static_cast<size_t>(bytes_per_sample);
  const size_t stride = static_cast<size_t>(plane.width + 2 * kMargin);
  padded.bytes =
      std::make_unique_for_overwrite<uint8_t[]>(stride * static_cast<size_t>(plane.height + 2 * kMargin) * b);
  const auto rowStart = [&](int y) {
    return padded.bytes.get() + static_cast<size_t>(y + kMargin) * stride * b;
  };
  const auto fillRow = [&](int y) {
    const auto* from = plane.row<uint8_t>(std::clamp(y, 0, plane.height - 1));
    uint8_t* to = rowStart(y);
    const size_t width = static_cast<size_t>(plane.width) * b;
    std::memcpy(to + kMargin * b, from, width);
    for (size_t i = 0; i < kMargin; ++i) {
      std::memcpy(to + i * b, from, b);
      std::memcpy(to + (kMargin + i) * b + width, from + width - b, b);
    }
  };
  parallelBlocks(plane.height + 2 * kMargin, 16, [&](int first, int last) {
    for (int i = first; i < last; ++i) fillRow(i - kMargin);
  });
  padded.source = {rowStart(0) + kMargin * b, static_cast<ptrdiff_t>(stride), bytes_per_sample};
  return padded;
}

WarpGrid::Raster rasterOf(const PixelFormat& format, ChromaSiting siting, size_t plane) {
  WarpGrid::Raster raster;
  if (plane == 0) return raster;
  if (format.shiftX() == 1) {
    raster.step_x = 2;
    raster.offset_x = siting == ChromaSiting::Center ? 0.5 : 0;
  }
  if (format.shiftY() == 1) {
    raster.step_y = 2;
    raster.offset_y = siting == ChromaSiting::TopLeft ? 0 : 0.5;
  }
  return raster;
}

struct LevelScale {
  float gain = 1;
  float max = 255;
  float black = 16;
};

LevelScale levelScale(const Frame& source, const PixelFormat& to, int plane) {
  LevelScale scale;
  const int from_depth = source.format.bit_depth;
  scale.max = static_cast<float>(to.maxValue());
  scale.gain = source.colour.full_range
                   ? static_cast<float>(to.maxValue()) / static_cast<float>(source.format.maxValue())
                   : static_cast<float>(std::exp2(to.bit_depth - from_depth));
  scale.black = static_cast<float>(blackValue(to, source.colour, plane));
  return scale;
}

// Share of an output pixel that the source covers, from its distance to the source's border. Half a
// sample of tolerance: a source whose border lies exactly on the output's stays untouched.
float coverageAt(float x, float y, float width, float height) {
  const float inside_x = std::min(x + 1.0F, width - x);
  const float inside_y = std::min(y + 1.0F, height - y);
  return std::clamp(inside_x, 0.0F, 1.0F) * std::clamp(inside_y, 0.0F, 1.0F);
}

constexpr float kTapMargin = 6;  // positions further outside are blank anyway

struct RowScratch {
  std::vector<float> values;
  std::vector<detail::SmoothRun> runs;
  WarpGrid::RowPositions at;
  explicit RowScratch(size_t width) : values(width + detail::kSurplus) {}
};

class PlaneWarp {
 public:
  PlaneWarp(const WarpGrid& grid, WarpGrid::PlaneShape from, WarpGrid::PlaneShape to, LevelScale levels,
            bool fitted)
      : grid_(grid),
        from_(from),
        to_(to),
        levels_(levels),
        shrink_x_(static_cast<float>(std::log2(to.raster.step_x / from.raster.step_x))),
        shrink_y_(static_cast<float>(std::log2(to.raster.step_y / from.raster.step_y))),
        fitted_(fitted) {}

  // What rows are sampled from.
  void take(const PaddedSource& source) { source_ = source; }

  template <typename T>
  void row(int y, T* out, RowScratch& s) const {
    grid_.placeRow(y, to_, from_, kTapMargin, s.at);
    if (s.at.new_cells) chooseRuns(s);
    detail::sampleSmoothRuns(source_, s.runs, s.at.xs.data(), s.at.ys.data(), s.values.data());
    for (const WarpGrid::Stretch& stretch : s.at.stretches)
      for (int first = stretch.first; first < stretch.end;) {
        const int run = first / detail::kSmoothRun;
        const int last = std::min(stretch.end, (run + 1) * detail::kSmoothRun);
        if (!s.runs[static_cast<size_t>(run)].taken) sample(*stretch.cell, first, last - first, s);
        first = last;
      }
    detail::storeSamples(s.values.data(), levels_.gain, levels_.max, to_.width, out);
  }

  bool hasExactParts() const {
    return std::ranges::any_of(grid_.points().cells, [](const WarpGrid::Cell& cell) { return cell.exact; });
  }
  // Of a row that is done already: the parts that no device does.
  template <typename T>
  void exactParts(int y, T* out, RowScratch& s) const {
    grid_.placeRow(y, to_, from_, kTapMargin, s.at);
    for (const WarpGrid::Stretch& stretch : s.at.stretches) {
      if (!stretch.cell->exact) continue;
      for (int first = stretch.first; first < stretch.end; first += detail::kSmoothRun)
        sample(*stretch.cell, first, std::min(detail::kSmoothRun, stretch.end - first), s);
      detail::storeSamples(s.values.data() + stretch.first, levels_.gain, levels_.max,
                           stretch.end - stretch.first, out + stretch.first);
    }
  }

  // All of it for a device, but for where the samples are.
  detail::PlaceJob jobForDevice() const {
    detail::PlaceJob job;
    const WarpGrid::Points points = grid_.points();
    job.grid_columns = points.columns;
    job.grid_step = grid_.step();
    job.grid_x = points.x;
    job.grid_y = points.y;
    job.runs_in_row = (to_.width + detail::kSmoothRun - 1) / detail::kSmoothRun;
    job.runs.resize(static_cast<size_t>(job.runs_in_row) * static_cast<size_t>(points.rows));
    for (const WarpGrid::Cell& cell : points.cells) job.cells.push_back(cellForDevice(cell));
    RowScratch scratch(static_cast<size_t>(to_.width));
    for (int y = 0; y < to_.height; ++y) {
      const auto row = grid_.blendedRow(to_.raster.offset_y + y * to_.raster.step_y);
      if (job.rows.empty() || job.rows.back().cells != row.cells) {
        grid_.listStretches(row.cells, to_, scratch.at);
        chooseRuns(scratch);
        runsForDevice(scratch, job.runs.data() + static_cast<ptrdiff_t>(row.cells) * job.runs_in_row);
      }
      job.rows.push_back({row.cells, row.weights});
    }
    job.step_x = static_cast<float>(to_.raster.step_x);
    job.offset_x = static_cast<float>(to_.raster.offset_x);
    job.scale_x = static_cast<float>(1 / from_.raster.step_x);
    job.scale_y = static_cast<float>(1 / from_.raster.step_y);
    job.shift_x = static_cast<float>(from_.raster.offset_x / from_.raster.step_x);
    job.shift_y = static_cast<float>(from_.raster.offset_y / from_.raster.step_y);
    job.margin = kTapMargin;
    job.gain = levels_.gain;
    job.max = levels_.max;
    job.black = levels_.black / levels_.gain;
    job.kernels = &deviceKernels();
    return job;
  }

 private:
  detail::PlaceJob::Cell cellForDevice(const WarpGrid::Cell& cell) const {
    using Job = detail::PlaceJob;
    Job::Cell to;
    to.level_x = static_cast<uint8_t>(levelFor(cell.shrink_x + shrink_x_));
    to.level_y = static_cast<uint8_t>(levelFor(cell.shrink_y + shrink_y_));
    if (cell.blank) to.flags |= Job::kBlank;
    if (cell.exact) to.flags |= Job::kExact;
    if (cell.edge || cell.exact) to.flags |= Job::kBorder;
    return to;
  }

  static void runsForDevice(const RowScratch& s, detail::PlaceJob::RunLevels* to) {
    const auto levelOf = [](const TapPolynomials* fitted) {
      uint8_t level = 0;
      while (&kernels()[level].fitted != fitted) ++level;
      return level;
    };
    for (size_t i = 0; i < s.runs.size(); ++i)
      if (s.runs[i].x != nullptr) to[i] = {levelOf(s.runs[i].x), levelOf(s.runs[i].y)};
  }

  // Which runs of this row of cells can be taken along their curve, and with which kernels: those that
  // touch nothing but plain cells.
  void chooseRuns(RowScratch& s) const {
    const int count = (to_.width + detail::kSmoothRun - 1) / detail::kSmoothRun;
    s.runs.assign(static_cast<size_t>(count), {});
    if (!fitted_) return;
    std::vector<float> shrink_x(s.runs.size(), -64.0F), shrink_y(s.runs.size(), -64.0F);
    for (const WarpGrid::Stretch& stretch : s.at.stretches) {
      const WarpGrid::Cell& cell = *stretch.cell;
      const float odd = cell.blank || cell.edge || cell.exact ? 64.0F : 0.0F;
      for (int run = stretch.first / detail::kSmoothRun; run * detail::kSmoothRun < stretch.end; ++run) {
        const auto at = static_cast<size_t>(run);
        shrink_x[at] = std::max(shrink_x[at], cell.shrink_x + shrink_x_ + odd);
        shrink_y[at] = std::max(shrink_y[at], cell.shrink_y + shrink_y_);
      }
    }
    for (size_t i = 0; i < static_cast<size_t>(to_.width / detail::kSmoothRun); ++i) {
      const auto x = static_cast<size_t>(levelFor(shrink_x[i])),
                 y = static_cast<size_t>(levelFor(shrink_y[i]));
      if (x < kFittedLevels && y < kFittedLevels) s.runs[i] = {&kernels()[x].fitted, &kernels()[y].fitted};
    }
  }

  void sample(const WarpGrid::Cell& cell, int first, int count, RowScratch& s) const {
    const float black = levels_.black / levels_.gain;
    float* values = s.values.data() + first;
    if (cell.blank) {
      std::fill(values, values + count, black);
      return;
    }
    float* xs = s.at.xs.data() + first;
    float* ys = s.at.ys.data() + first;
    std::array<float, detail::kSmoothRun> coverage{};
    const bool border = cell.edge || cell.exact;
    if (border) measureCoverage(xs, ys, count, coverage.data());
    detail::sampleRun(source_, kernelFor(cell.shrink_x + shrink_x_), kernelFor(cell.shrink_y + shrink_y_), xs,
                      ys, count, values);
    if (!border) return;
    for (int i = 0; i < count; ++i)
      values[i] = black + (values[i] - black) * coverage[static_cast<size_t>(i)];
  }

  // Also brings positions that lie nowhere into reach of the taps.
  void measureCoverage(float* xs, float* ys, int count, float* coverage) const {
    const auto w = static_cast<float>(from_.width), h = static_cast<float>(from_.height);
    for (int i = 0; i < count; ++i) {
      coverage[i] = coverageAt(xs[i], ys[i], w, h);
      xs[i] = std::clamp(xs[i], -kTapMargin, w + kTapMargin);
      ys[i] = std::clamp(ys[i], -kTapMargin, h + kTapMargin);
    }
  }

  const WarpGrid& grid_;
  PaddedSource source_;
  WarpGrid::PlaneShape from_, to_;
  LevelScale levels_;
  float shrink_x_, shrink_y_;
  bool fitted_;
};

// A grey source going to a colour format gets neutral chroma, and back the chroma is dropped.
void fillNeutral(Plane& plane, const PixelFormat& format) {
  const int value = 1 << (format.bit_depth - 1);
  for (int y = 0; y < plane.height; ++y) {
    if (format.bit_depth > 8)
      std::fill_n(plane.row<uint16_t>(y), plane.width, static_cast<uint16_t>(value));
    else
      std::fill_n(plane.row<uint8_t>(y), plane.width, static_cast<uint8_t>(value));
  }
}

// f(row number, its samples, scratch), rows in parallel.
template <typename F>
void eachRow(Plane& plane, const PixelFormat& format, F f) {
  parallelBlocks(plane.height, 16, [&](int first, int last) {
    RowScratch scratch(static_cast<size_t>(plane.width));
    for (int y = first; y < last; ++y)
      if (format.bit_depth > 8)
        f(y, plane.row<uint16_t>(y), scratch);
      else
        f(y, plane.row<uint8_t>(y), scratch);
  });
}

void placePlane(Device& device, const PlaneWarp& warp, const Plane& from, int from_bytes, Plane& to,
                const PixelFormat& format) {
  detail::PlaceJob job = warp.jobForDevice();
  job.in = from.data;
  job.in_stride = from.stride;
  job.in_bytes = from_bytes;
  job.in_width = from.width;
  job.in_height = from.height;
  job.out = to.data;
  job.out_stride = to.stride;
  job.out_bytes = format.bytesPerSample();
  job.out_width = to.width;
  job.out_height = to.height;
  detail::placeOnDevice(device, job);
}

}  // namespace

Frame warpFrame(const Frame& source, const WarpGrid& grid, PixelFormat format) {
  if (source.width != grid.source().width || source.height != grid.source().height)
    throw Error(ErrorKind::BadRequest, "The picture's size does not fit its correction", "",
                std::to_string(source.width) + " × " + std::to_string(source.height) + " instead of " +
                    std::to_string(grid.source().width) + " × " + std::to_string(grid.source().height),
                "Choose the profile of this mode");
  Frame like = source;
  like.format = format;
  Frame out = makeFrameLike(like, grid.output().width, grid.output().height);
  const int bytes = source.format.bytesPerSample();
  for (size_t p = 0; p < static_cast<size_t>(format.numPlanes()); ++p) {
    Plane& target = out.planes[p];
    if (p > 0 && source.format.numPlanes() == 1) {
      fillNeutral(target, format);
      continue;
    }
    const Plane& sampled = source.planes[p];
    const WarpGrid::PlaneShape from{rasterOf(source.format, source.colour.siting, p), sampled.width,
                                    sampled.height};
    const WarpGrid::PlaneShape to{rasterOf(format, source.colour.siting, p), target.width, target.height};
    // The fitted weights are good to 1 part in 10⁵: finer samples take the tables.
    const bool fitted = source.format.bit_depth <= 12;
    PlaneWarp warp(grid, from, to, levelScale(source, format, static_cast<int>(p)), fitted);
    const bool by_device = doneOnDevice(
        DeviceWork::Place, [&](Device& device) { placePlane(device, warp, sampled, bytes, target, format); });
    if (by_device && !warp.hasExactParts()) continue;
    const PaddedPlane padded = padPlane(sampled, bytes);
    warp.take(padded.source);
    eachRow(target, format, [&](int y, auto* row, RowScratch& scratch) {
      if (by_device)
        warp.exactParts(y, row, scratch);
      else
        warp.row(y, row, scratch);
    });
  }
  return out;
}

Frame convertFormat(const Frame& source, PixelFormat format) {
  if (source.format == format) return source;
  const PictureSize size{source.width, source.height};
  return warpFrame(source, WarpGrid(size, size, [](Point p) { return std::optional<Point>(p); }), format);
}

}  // namespace glenhaze
