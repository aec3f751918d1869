#include "core/finish/shimmer.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <vector>

#include "core/base/bilinear.h"
#include "core/base/parallel.h"
#include "core/finish/detail/shimmer_kernel.h"
#include "core/noise/detail/guide.h"
#include "core/noise/detail/picture_motion.h"

namespace glenhaze {

namespace {

using detail::BlockVector;
using detail::kSampleUnit;
using detail::kStep;
using detail::MotionField;
using detail::SamplePlane;

constexpr int kTogether = 2 * ShimmerCalmer::kReach + 1;
constexpr int kCell = detail::kFineCell;
static_assert(kCell == kStep);
constexpr int kCellArea = kCell * kCell;
constexpr float kMotionSigma = 1;  // code values: the noise is out
// Structure with which a block's own motion is half believed, as in the block search.
constexpr float kTrust = detail::kTrustedStructure * detail::softNoiseEnergy(kMotionSigma);
constexpr int kCellRows = 8;  // rows of cells that one thread takes at once

// A square of a plane at (x, y) + v, in the plane's own units. `v` is held to what the border has.
void fetch(const SamplePlane& plane, int x, int y, BlockVector v, float* to) {
  const auto split = [](float at, int size, int& whole, int& phase) {
    const float low = -detail::kBorder + detail::kFineTaps,
                high = static_cast<float>(size + detail::kBorder - 2 * detail::kFineTaps);
    const int steps = static_cast<int>(std::lround(std::clamp(at, low, high - kCell) * detail::kFinePhases));
    whole = steps >= 0 ? steps / detail::kFinePhases
                       : -((-steps + detail::kFinePhases - 1) / detail::kFinePhases);
    phase = steps - whole * detail::kFinePhases;
  };
  int ix = 0, iy = 0, px = 0, py = 0;
  split(static_cast<float>(x) + v.dx, plane.width, ix, px);
  split(static_cast<float>(y) + v.dy, plane.height, iy, py);
  static const detail::FineFetch fine;
  fine(plane.row(iy) + ix, plane.stride, px, py, to);
}

// Smoothed by the binomial 1 4 6 4 1 both ways, which parts the finest octave from those below it.
SamplePlane coarsePart(const SamplePlane& plane) {
  SamplePlane out(plane.width, plane.height);
  parallelBlocks(plane.height, 32, [&](int first, int last) {
    std::vector<int> down(static_cast<size_t>(plane.width + 4));
    for (int y = first; y < last; ++y) {
      const int16_t *a = plane.row(y - 2) - 2, *b = plane.row(y - 1) - 2, *c = plane.row(y) - 2,
                    *d = plane.row(y + 1) - 2, *e = plane.row(y + 2) - 2;
      for (size_t x = 0; x < down.size(); ++x) down[x] = a[x] + e[x] + 4 * (b[x] + d[x]) + 6 * c[x];
      int16_t* to = out.row(y);
      const int* v = down.data();
      for (int x = 0; x < plane.width; ++x)
        to[x] = static_cast<int16_t>((v[x] + v[x + 4] + 4 * (v[x + 1] + v[x + 3]) + 6 * v[x + 2] + 128) >> 8);
    }
  });
  detail::fillBorder(out);
  return out;
}

SamplePlane finePart(const SamplePlane& plane, const SamplePlane& coarse) {
  SamplePlane out(plane.width, plane.height);
  parallelBlocks(plane.height, 64, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < plane.width; ++x)
        out.row(y)[x] = static_cast<int16_t>(plane.row(y)[x] - coarse.row(y)[x]);
  });
  detail::fillBorder(out);
  return out;
}

float meanSquare(const SamplePlane& plane) {
  double sum = 0;
  for (int y = 0; y < plane.height; ++y) {
    int64_t row = 0;
    const int16_t* v = plane.row(y);
    for (int x = 0; x < plane.width; ++x) row += int64_t{v[x]} * v[x];
    sum += static_cast<double>(row);
  }
  return static_cast<float>(sum / (static_cast<double>(plane.width) * plane.height));
}

bool isLumaAndChroma(const Frame& frame) { return frame.colour.matrix != 0 || frame.format.numPlanes() == 1; }

// A frame that a jolt has blurred says nothing of the detail of those around it.
bool asSharp(float detail, float other) {
  constexpr float kRatio = 1.6F;
  return detail < kRatio * other && other < kRatio * detail;
}

bool alike(const Frame& a, const Frame& b) {
  return a.width == b.width && a.height == b.height && a.format == b.format;
}

}  // namespace

struct ShimmerCalmer::Held {
  Frame frame;
  bool usable = false;
  SamplePlane luma, coarse, fine;
  std::array<SamplePlane, 2> chroma_fine;
  detail::MotionPicture motion;
  float detail = 0;  ///< mean square of `fine`
  /// To the frame before and the one after it; nothing where they cannot be followed.
  std::optional<MotionField> back, forward;
  float noise = 0;  ///< of `fine`, by what most places differ by from the frame before: code values
};

namespace {

// A picture beside the one in the middle.
struct Beside {
  const SamplePlane* coarse;
  const SamplePlane* fine;
  const std::array<SamplePlane, 2>* chroma_fine;
  std::vector<BlockVector> cells;                // where the block search finds each
  std::optional<detail::PictureMotion> picture;  // and where the picture as a whole puts it
};

// Where a cell is found in each of those beside, in their order.
struct Found {
  bool looked = false;
  std::array<BlockVector, kTogether> vectors{};
  float coarse_off = 0;  // how far its coarse part is off there at most, code values squared
};

class Centre {
 public:
  Centre(const SamplePlane& coarse, const SamplePlane& fine, std::vector<Beside> beside, float sigma)
      : coarse_(coarse),
        fine_(fine),
        beside_(std::move(beside)),
        sigma_(sigma),
        columns_(detail::blocksAlong(fine.width) + 1) {}

  const std::vector<Beside>& beside() const { return beside_; }

  // `energy`: of its fine part, code values squared.
  Found find(int column, int row, float energy) const {
    Found found;
    found.looked = true;
    for (size_t i = 0; i < beside_.size(); ++i) {
      float off = 0;
      found.vectors[i] = vectorOf(beside_[i], column, row, energy, off);
      found.coarse_off = std::max(found.coarse_off, off);
    }
    return found;
  }

  float energyAt(int column, int row) const {
    std::array<float, kCellArea> cell{};
    fetch(fine_, column * kCell - kCell, row * kCell - kCell, {}, cell.data());
    return energyOf(cell);
  }

  // How much a cell alternates, 0..1. Cells (column, row) begin at (column·kCell − kCell, row·kCell − kCell).
  float weight(int column, int row, Found& found) const {
    const int x = column * kCell - kCell, y = row * kCell - kCell;
    std::array<std::array<float, kCellArea>, kTogether> series{};
    fetch(fine_, x, y, {}, series[0].data());
    const float energy = energyOf(series[0]);
    const float noise = sigma_ * sigma_;
    // Nothing changes beyond noise where there is hardly more than noise.
    if (energy < noise) return 0;
    // Most places do not change along the picture's motion, and are done with.
    std::array<BlockVector, kTogether> vectors{};
    for (size_t i = 0; i < beside_.size(); ++i) {
      vectors[i] =
          beside_[i].picture ? pictureVector(beside_[i], column, row) : ownVector(beside_[i], column, row);
      fetch(*beside_[i].fine, x, y, vectors[i], series[i + 1].data());
    }
    if (varianceOf(series, beside_.size() + 1) <= kChance * noise) return 0;
    found = find(column, row, energy);
    for (size_t i = 0; i < beside_.size(); ++i)
      if (found.vectors[i].dx != vectors[i].dx || found.vectors[i].dy != vectors[i].dy)
        fetch(*beside_[i].fine, x, y, found.vectors[i], series[i + 1].data());
    return weightOf(varianceOf(series, beside_.size() + 1), found.coarse_off, noise);
  }

 private:
  static float energyOf(const std::array<float, kCellArea>& cell) {
    float sum = 0;
    for (const float v : cell) sum += v * v;
    return sum / (kCellArea * static_cast<float>(kSampleUnit * kSampleUnit));
  }
  BlockVector ownVector(const Beside& other, int column, int row) const {
    return other
        .cells[static_cast<size_t>(row) * static_cast<size_t>(columns_) + static_cast<size_t>(column)];
  }
  // Blocks are two cells wide: a cell's middle is half a block's step before that of the block of its number.
  static BlockVector pictureVector(const Beside& other, int column, int row) {
    return other.picture->at(static_cast<float>(column) - 0.5F, static_cast<float>(row) - 0.5F);
  }
  // The picture's motion unless what is coarse fits clearly better where the block search says.
  BlockVector vectorOf(const Beside& other, int column, int row, float energy, float& off) const {
    const BlockVector own = ownVector(other, column, row);
    if (!other.picture) {
      off = coarseOff(other, column, row, own);
      return own;
    }
    // What little of too fine detail is in the coarse part follows its own pattern, not the picture.
    constexpr float kClearly = 1.5F, kSpilt = 0.06F;
    const float spilt = 0.25F * sigma_ * sigma_ + kSpilt * energy;
    const BlockVector by = pictureVector(other, column, row);
    off = coarseOff(other, column, row, by);
    if (off <= spilt) return by;
    const float own_off = coarseOff(other, column, row, own);
    if (off <= kClearly * own_off + spilt) return by;
    off = own_off;
    return own;
  }
  // Mean squared difference of the coarse part, whose own noise is small, over every other sample of the
  // cell.
  float coarseOff(const Beside& other, int column, int row, BlockVector v) const {
    const int x0 = column * kCell - kCell, y0 = row * kCell - kCell;
    const SamplePlane& plane = *other.coarse;
    constexpr float kLow = -detail::kBorder + 1.0F;
    const auto held = [&](float at, int size) {
      return std::clamp(at, kLow, static_cast<float>(size + detail::kBorder - kCell - 2));
    };
    const float fx = held(static_cast<float>(x0) + v.dx, plane.width),
                fy = held(static_cast<float>(y0) + v.dy, plane.height);
    const int ix = static_cast<int>(std::floor(fx)), iy = static_cast<int>(std::floor(fy));
    const float wx = fx - static_cast<float>(ix), wy = fy - static_cast<float>(iy);
    float sum = 0;
    for (int j = 0; j < kCell; j += 2) {
      const int16_t *here = coarse_.row(y0 + j) + x0, *a = plane.row(iy + j) + ix,
                    *b = plane.row(iy + j + 1) + ix;
      for (int i = 0; i < kCell; i += 2) {
        const float there = bilinear(static_cast<float>(a[i]), static_cast<float>(a[i + 1]),
                                     static_cast<float>(b[i]), static_cast<float>(b[i + 1]), wx, wy);
        const float d = there - static_cast<float>(here[i]);
        sum += d * d;
      }
    }
    return sum / (kCellArea / 4 * static_cast<float>(kSampleUnit * kSampleUnit));
  }
  // Mean over the cell of each place's variance over the frames, code values squared.
  static float varianceOf(const std::array<std::array<float, kCellArea>, kTogether>& series, size_t n) {
    float all = 0;
    for (size_t p = 0; p < kCellArea; ++p) {
      float sum = 0, squares = 0;
      for (size_t k = 0; k < n; ++k) {
        sum += series[k][p];
        squares += series[k][p] * series[k][p];
      }
      all += squares - sum * sum / static_cast<float>(n);
    }
    return all / (kCellArea * static_cast<float>(kSampleUnit * kSampleUnit) * static_cast<float>(n - 1));
  }
  // What changes beyond noise in the fine part only: where the coarse part changes as well, something passes
  // by or comes out from behind.
  static float weightOf(float variance, float coarse_off, float noise) {
    constexpr float kHalf = 2, kCoarse = 0.3F;
    const float beyond = variance - kChance * noise;
    if (beyond <= 0) return 0;
    const float stays = std::clamp(2 - coarse_off / (kCoarse * variance + noise), 0.0F, 1.0F);
    return stays * beyond / (beyond + kHalf * noise);
  }

  static constexpr float kChance = 2;  // times the noise: what chance changes
  const SamplePlane &coarse_, &fine_;
  std::vector<Beside> beside_;
  float sigma_;
  int columns_;
};

// The mean over all frames, less what is in the middle; of one cell of one plane. False where that is nothing
// to speak of.
bool towardsMean(const SamplePlane& middle, const std::vector<const SamplePlane*>& others, int x, int y,
                 const std::array<BlockVector, kTogether>& vectors, float scale_x, float scale_y, float* to) {
  float sum[kCellArea], here[kCellArea], there[kCellArea];
  fetch(middle, x, y, {}, here);
  constexpr float kFaint = 0.5F * kSampleUnit;
  if (std::all_of(here, here + kCellArea, [](float v) { return std::abs(v) < kFaint; })) return false;
  std::copy_n(here, kCellArea, sum);
  for (size_t i = 0; i < others.size(); ++i) {
    fetch(*others[i], x, y, {vectors[i].dx * scale_x, vectors[i].dy * scale_y}, there);
    for (int p = 0; p < kCellArea; ++p) sum[p] += there[p];
  }
  for (int p = 0; p < kCellArea; ++p) to[p] = sum[p] / static_cast<float>(others.size() + 1) - here[p];
  return true;
}

// What most places of the fine part differ by from one frame to the next, as noise: code values.
float noiseBetween(const SamplePlane& a, const SamplePlane& b, const std::vector<BlockVector>& cells) {
  constexpr int kBins = 512;
  constexpr float kPerBin = 8;  // in steps of 1/kSampleUnit: to 64 code values
  std::vector<int64_t> counts(kBins, 0);
  const int columns = detail::blocksAlong(a.width) + 1, rows = detail::blocksAlong(a.height) + 1;
  for (int row = 1; row + 1 < rows; row += 4)
    for (int column = 1 + row / 4 % 4; column + 1 < columns; column += 4) {
      const int x = column * kCell - kCell, y = row * kCell - kCell;
      float there[kCellArea];
      fetch(b, x, y,
            cells[static_cast<size_t>(row) * static_cast<size_t>(columns) + static_cast<size_t>(column)],
            there);
      for (int j = 0; j < kCell && y + j < a.height; ++j)
        for (int i = 0; i < kCell && x + i < a.width; ++i) {
          const float d = std::abs(there[j * kCell + i] - static_cast<float>(a.row(y + j)[x + i]));
          ++counts[static_cast<size_t>(std::min<float>(kBins - 1, d / kPerBin))];
        }
    }
  int64_t all = 0, below = 0;
  for (const int64_t c : counts) all += c;
  size_t bin = 0;
  while (bin + 1 < counts.size() && below + counts[bin] < all / 2) below += counts[bin++];
  const auto within =
      static_cast<float>(all / 2 - below) / static_cast<float>(std::max<int64_t>(1, counts[bin]));
  const float median = (static_cast<float>(bin) + within) * kPerBin / kSampleUnit;
  // Of a difference of two, whose median is 0.6745 deviations.
  constexpr float kFloor = 0.25F;  // rounding to 8 bits
  return std::max(kFloor, median / 0.6745F / std::numbers::sqrt2_v<float>);
}

// Cells' weights, in between for each sample, so that no cell's border shows.
class CellWeights {
 public:
  CellWeights(const std::vector<float>& cells, int columns, int rows)
      : cells_(cells), columns_(columns), rows_(rows) {}
  bool none(int column, int row) const {
    for (int j = -1; j <= 1; ++j)
      for (int i = -1; i <= 1; ++i)
        if (of(column + i, row + j) > 0) return false;
    return true;
  }
  // At (fx, fy), shares of the cell, from the middles of the cells around.
  float at(int column, int row, float fx, float fy) const {
    const int i = fx < 0.5F ? -1 : 1, j = fy < 0.5F ? -1 : 1;
    const float wx = std::abs(fx - 0.5F), wy = std::abs(fy - 0.5F);
    return (1 - wx) * (1 - wy) * of(column, row) + wx * (1 - wy) * of(column + i, row) +
           (1 - wx) * wy * of(column, row + j) + wx * wy * of(column + i, row + j);
  }

 private:
  float of(int column, int row) const {
    return cells_[static_cast<size_t>(std::clamp(row, 0, rows_ - 1)) * static_cast<size_t>(columns_) +
                  static_cast<size_t>(std::clamp(column, 0, columns_ - 1))];
  }
  const std::vector<float>& cells_;
  int columns_, rows_;
};

// One plane of the frame that is written, and what it is taken from.
struct SteadyTarget {
  const SamplePlane* middle;
  std::vector<const SamplePlane*> others;
  Plane* plane;
  int width, height, sx, sy;
  float unit, top;  // of the plane's codes in a step of samples; its highest code
};

// Brings one cell of luma, or what of a subsampled plane lies under it, to its mean over the frames.
template <typename T>
void steadyCell(const SteadyTarget& to, int column, int row, const Found& found, const CellWeights& weights,
                float amount) {
  const int x0 = (column * kCell - kCell) / (1 << to.sx), y0 = (row * kCell - kCell) / (1 << to.sy);
  const int wide = kCell >> to.sx, high = kCell >> to.sy;
  float towards[kCellArea];
  if (!towardsMean(*to.middle, to.others, x0, y0, found.vectors, 1 / static_cast<float>(1 << to.sx),
                   1 / static_cast<float>(1 << to.sy), towards))
    return;
  for (int j = std::max(0, -y0); j < high && y0 + j < to.height; ++j)
    for (int i = std::max(0, -x0); i < wide && x0 + i < to.width; ++i) {
      const float by =
          amount * weights.at(column, row, (static_cast<float>(i) + 0.5F) / static_cast<float>(wide),
                              (static_cast<float>(j) + 0.5F) / static_cast<float>(high));
      T& sample = to.plane->row<T>(y0 + j)[x0 + i];
      const float value = static_cast<float>(sample) + by * to.unit * towards[j * kCell + i];
      sample = static_cast<T>(std::clamp(value, 0.0F, to.top) + 0.5F);
    }
}

// The planes of `out`, which begins as the frame in the middle.
std::vector<SteadyTarget> targetsOf(const SamplePlane& fine, const std::array<SamplePlane, 2>& chroma_fine,
                                    const std::vector<Beside>& beside, Frame& out) {
  std::vector<SteadyTarget> targets;
  const PixelFormat& format = out.format;
  for (int p = 0; p < format.numPlanes(); ++p) {
    const auto c = static_cast<size_t>(p);
    const int sx = p == 0 ? 0 : format.shiftX(), sy = p == 0 ? 0 : format.shiftY();
    SteadyTarget one{p == 0 ? &fine : &chroma_fine[c - 1],
                     {},
                     &out.planes[c],
                     (out.width + (1 << sx) - 1) >> sx,
                     (out.height + (1 << sy) - 1) >> sy,
                     sx,
                     sy,
                     static_cast<float>(1 << (format.bit_depth - 8)) / kSampleUnit,
                     static_cast<float>((1 << format.bit_depth) - 1)};
    for (const Beside& other : beside)
      one.others.push_back(p == 0 ? other.fine : &(*other.chroma_fine)[c - 1]);
    targets.push_back(std::move(one));
  }
  return targets;
}

}  // namespace

ShimmerCalmer::ShimmerCalmer(double amount, int lead)
    : amount_(std::clamp(amount, 0.0, 1.0)), lead_(std::max(0, lead)) {}
ShimmerCalmer::~ShimmerCalmer() = default;
ShimmerCalmer::ShimmerCalmer(ShimmerCalmer&&) noexcept = default;
ShimmerCalmer& ShimmerCalmer::operator=(ShimmerCalmer&&) noexcept = default;

std::optional<Frame> ShimmerCalmer::push(const Frame& frame, const Progress& progress) {
  progress.check();
  auto held = std::make_shared<Held>();
  held->frame = frame;
  held->usable = isLumaAndChroma(frame);
  if (held->usable) {
    held->luma = detail::samplePlane(frame, 0);
    held->coarse = coarsePart(held->luma);
    held->fine = finePart(held->luma, held->coarse);
    for (int p = 1; p < frame.format.numPlanes(); ++p) {
      const SamplePlane plane = detail::samplePlane(frame, p);
      held->chroma_fine[static_cast<size_t>(p - 1)] = finePart(plane, coarsePart(plane));
    }
    held->detail = meanSquare(held->fine);
    held->motion = detail::motionPicture(held->luma);
    if (!window_.empty()) follow(*window_.back(), *held, progress);
  }
  window_.push_back(std::move(held));
  if (window_.size() < next_ + kReach + 1) return std::nullopt;
  return next(progress);
}

std::optional<Frame> ShimmerCalmer::drain(const Progress& progress) {
  while (next_ < window_.size())
    if (auto frame = next(progress)) return frame;
  return std::nullopt;
}

// The next one finished, unless it was only to stand beside others.
std::optional<Frame> ShimmerCalmer::next(const Progress& progress) {
  progress.check();
  std::optional<Frame> done;
  if (lead_ > 0)
    --lead_;
  else
    done = finish(next_, progress);
  ++next_;
  while (next_ > static_cast<size_t>(kReach)) {
    window_.pop_front();
    --next_;
  }
  return done;
}

// Where the pictures of two frames that follow one another are found in each other.
void ShimmerCalmer::follow(Held& before, Held& held, const Progress& progress) {
  if (!before.usable || !alike(before.frame, held.frame)) return;
  before.forward = detail::estimateMotion(before.motion, held.motion, kMotionSigma, progress);
  held.back = detail::estimateMotion(held.motion, before.motion, kMotionSigma,
                                     detail::turnedAround(*before.forward), progress);
  held.noise = noiseBetween(held.fine, before.fine,
                            detail::cellVectors(*held.back, held.motion.soft, before.motion.soft));
}

// From the frame at `at` to the one `by` frames after it, −kReach to kReach.
std::optional<MotionField> ShimmerCalmer::motionTo(size_t at, int by) const {
  const int step = by < 0 ? -1 : 1;
  std::optional<MotionField> all;
  for (int i = 0; i != by; i += step) {
    const auto from = static_cast<ptrdiff_t>(at) + i;
    if (from + step < 0 || from + step >= static_cast<ptrdiff_t>(window_.size())) return std::nullopt;
    const Held& held = *window_[static_cast<size_t>(from)];
    const auto& one = by < 0 ? held.back : held.forward;
    if (!one) return std::nullopt;
    all = all ? detail::chained(*all, *one) : *one;
  }
  return all;
}

// The less of what it differs by on either side: what passes by on one makes it too large.
float ShimmerCalmer::noiseAt(size_t at) const {
  const float before = window_[at]->noise, after = at + 1 < window_.size() ? window_[at + 1]->noise : 0;
  return before > 0 && after > 0 ? std::min(before, after) : std::max(before, after);
}

Frame ShimmerCalmer::finish(size_t at, const Progress& progress) const {
  const Held& held = *window_[at];
  if (!held.usable || amount_ <= 0) return held.frame;
  std::vector<Beside> beside;
  for (int by = -kReach; by <= kReach; ++by)
    if (auto field = motionTo(at, by)) {
      const Held& other = *window_[at + static_cast<size_t>(by)];
      if (!asSharp(held.detail, other.detail)) continue;
      Beside one{&other.coarse, &other.fine, &other.chroma_fine,
                 detail::cellVectors(*field, held.motion.soft, other.motion.soft),
                 detail::PictureMotion(*field, kTrust)};
      if (!one.picture->told()) one.picture.reset();
      beside.push_back(std::move(one));
    }
  if (beside.size() < 2) return held.frame;
  const float sigma = noiseAt(at);
  const Centre middle(held.coarse, held.fine, std::move(beside), sigma);
  const int columns = detail::blocksAlong(held.luma.width) + 1,
            rows = detail::blocksAlong(held.luma.height) + 1;
  std::vector<float> cells(static_cast<size_t>(columns) * static_cast<size_t>(rows));
  std::vector<Found> places(cells.size());
  const auto numberOf = [columns](int column, int row) {
    return static_cast<size_t>(row) * static_cast<size_t>(columns) + static_cast<size_t>(column);
  };
  parallelBlocks(rows, kCellRows, [&](int from, int to) {
    progress.check();
    for (int row = from; row < to; ++row)
      for (int column = 0; column < columns; ++column)
        cells[numberOf(column, row)] = middle.weight(column, row, places[numberOf(column, row)]);
  });
  if (std::all_of(cells.begin(), cells.end(), [](float w) { return w == 0; })) return held.frame;
  Frame out = cloneFrame(held.frame);
  const std::vector<SteadyTarget> targets = targetsOf(held.fine, held.chroma_fine, middle.beside(), out);
  const CellWeights weights(cells, columns, rows);
  const bool bytes = out.format.bit_depth == 8;
  parallelBlocks(rows, kCellRows, [&](int from, int to) {
    progress.check();
    for (int row = from; row < to; ++row)
      for (int column = 0; column < columns; ++column) {
        if (weights.none(column, row)) continue;
        Found& found = places[numberOf(column, row)];
        if (!found.looked) found = middle.find(column, row, middle.energyAt(column, row));
        for (const SteadyTarget& target : targets)
          bytes ? steadyCell<uint8_t>(target, column, row, found, weights, static_cast<float>(amount_))
                : steadyCell<uint16_t>(target, column, row, found, weights, static_cast<float>(amount_));
      }
  });
  return out;
}

}  // namespace glenhaze
