#include <algorithm>
#include <cmath>
#include <deque>
#include <map>

#include "core/base/error.h"
#include "core/frame/primaries.h"
#include "core/media/reader.h"
#include "core/noise/coloured.h"
#include "core/noise/detail/measure_common.h"

namespace glenhaze {

using detail::codeEnds;
using detail::FloatPlane;
using detail::kBlock;
using detail::OctaveSums;
using detail::Planes;
using detail::planesOf;
using detail::residualOf;

namespace {

constexpr int kCell = 8;   // samples: movement is judged by cells
constexpr int kBins = 40;  // of luma level
constexpr double kBinWidth = 256.0 / kBins;
constexpr int kLag = 4;  // frames between the two that are compared: what sticks for less is noise still
constexpr int kMostFrames = 24;
constexpr double kMoved = 1.6;  // times the variance of its level: a cell where something moved
constexpr double kClearOfEnds =
    0.6;  // sigmas between a level and where the code ends: less is left of noise than tells
int binOf(double level) { return std::clamp(static_cast<int>(level / kBinWidth), 0, kBins - 1); }

// Running sums for each cell of a plane.
struct CellSums {
  int columns = 0, rows = 0;
  std::vector<double> square;  ///< of differences over time, halved: variance
  std::vector<float> level;    ///< means over the cell, summed over frames, then over time
  CellSums() = default;
  CellSums(int width, int height)
      : columns(width / kCell),
        rows(height / kCell),
        square(static_cast<size_t>(columns) * static_cast<size_t>(rows)),
        level(square.size()) {}
};

// What stands still, by luma and colour.
class StillSums {
 public:
  /// A cell of a plane: its variance, and the colour of the place.
  void add(size_t channel, double luma, double cb, double cr, double variance, const PrimaryCodes& codes) {
    const std::array<int, 3> key{binOf(luma), static_cast<int>(cb) / kColourBin,
                                 static_cast<int>(cr) / kColourBin};
    Sums& s = sums_[key];
    s.variance[channel] += variance;
    ++s.count[channel];
    if (channel > 0) return;
    s.level += luma;
    const auto primaries = codes.of(static_cast<float>(luma), static_cast<float>(cb), static_cast<float>(cr));
    for (size_t k = 0; k < 3; ++k) s.primaries[k] += static_cast<double>(primaries[k]);
  }

  /// Of one luma and colour each; levels that only the blurred borders between others have are not told, they
  /// say little about any of them.
  std::vector<NoisePoint> points() const {
    constexpr double kLeast = 4, kBorders = 60, kSamples = kCell * kCell * 5;
    std::array<double, kBins> cells{};
    for (const auto& [key, s] : sums_) cells[static_cast<size_t>(key[0])] += s.count[0];
    const double least = std::max(kLeast, *std::max_element(cells.begin(), cells.end()) / kBorders);
    std::vector<NoisePoint> points;
    for (const auto& [key, s] : sums_) {
      if (cells[static_cast<size_t>(key[0])] < least || s.count[0] <= 0) continue;
      NoisePoint& p = points.emplace_back();
      p.level = s.level / s.count[0];
      for (size_t k = 0; k < 3; ++k) p.primaries[k] = static_cast<float>(s.primaries[k] / s.count[0]);
      for (size_t c = 0; c < kNoiseChannels; ++c)
        if (s.count[c] > 0) {
          p.variance[c] = s.variance[c] / s.count[c];
          p.weight[c] = s.count[c] * kSamples;
        }
    }
    return points;
  }

 private:
  static constexpr int kColourBin = 12;  // chroma codes
  struct Sums {
    std::array<double, kNoiseChannels> variance{}, count{};
    double level = 0;
    std::array<double, 3> primaries{};
  };
  std::map<std::array<int, 3>, Sums> sums_;  // by bins of luma, Cb and Cr
};

// One point for each bin of luma.
std::vector<NoisePoint> byLevel(std::span<const NoisePoint> points) {
  std::map<int, NoisePoint> bins;
  for (const NoisePoint& p : points) {
    NoisePoint& bin = bins[binOf(p.level)];
    bin.level += p.level * p.weight[0];
    for (size_t c = 0; c < kNoiseChannels; ++c) {
      bin.variance[c] += p.variance[c] * p.weight[c];
      bin.weight[c] += p.weight[c];
    }
  }
  std::vector<NoisePoint> out;
  for (auto& [at, bin] : bins) {
    bin.level /= bin.weight[0];
    for (size_t c = 0; c < kNoiseChannels; ++c)
      if (bin.weight[c] > 0) bin.variance[c] /= bin.weight[c];
    out.push_back(bin);
  }
  return out;
}

class StaticShot {
 public:
  explicit StaticShot(const ClipInfo& clip)
      : clip_(clip), ends_(codeEnds(clip.colour)), codes_(clip.colour, clip.height) {}

  void read(const Progress& progress) {
    ClipReader reader(clip_);
    std::optional<Frame> before;
    std::deque<Planes> held;
    int64_t read = 0;
    const auto expected = static_cast<double>(std::min<int64_t>(clip_.frames, kMostFrames));
    while (frames_ < kMostFrames) {
      auto frame = reader.next();
      if (!frame) break;
      progress.check();
      progress.update(std::min(1.0, static_cast<double>(++read) / expected));
      // A frame that the camera has repeated holds no noise of its own.
      if (before && sameSamples(*before, *frame)) continue;
      before = frame;
      held.push_back(planesOf(*frame));
      ++frames_;
      if (cells_[0].level.empty()) start(held.back());
      addLevels(held.back());
      seen_.add(held.back().plane[0]);
      if (held.size() <= kLag) continue;
      addPair(held.front(), held.back());
      held.pop_front();
    }
    for (CellSums& cells : cells_)
      for (float& v : cells.level) v /= static_cast<float>(frames_);
  }

  int pairs() const { return pairs_; }
  CodeEnds endsSeen() const { return seen_.ends(ends_); }
  int frames() const { return frames_; }

  // Adds what stands still; returns its share of the picture.
  double settle(StillSums& sums) {
    const CellSums& luma = cells_[0];
    std::vector<double> bin_median = medians();
    std::vector<bool> still(luma.square.size(), false);
    double used = 0;
    for (size_t i = 0; i < still.size(); ++i) {
      const double level = cellLevel(i), expected = bin_median[static_cast<size_t>(binOf(level))];
      const double sigma = std::sqrt(expected);
      still[i] = luma.square[i] / pairs_ <= kMoved * expected && level > ends_.low + kClearOfEnds * sigma &&
                 level < ends_.high - kClearOfEnds * sigma;
      used += still[i] ? 1 : 0;
    }
    for (size_t c = 0; c < 3; ++c) {
      const CellSums& own = cells_[c];
      for (size_t i = 0; i < own.square.size(); ++i) {
        const size_t at = lumaCell(c, i);
        if (at >= still.size() || !still[at]) continue;
        const auto [cb, cr] = chromaAt(at);
        sums.add(c, cellLevel(at), cb, cr, own.square[i] / pairs_, codes_);
      }
    }
    still_ = std::move(still);
    return used / static_cast<double>(std::max<size_t>(1, luma.square.size()));
  }

  // The spectrum needs to know what stands still: a second look at one pair.
  void addOctaves(std::array<OctaveSums, 3>& octaves) const {
    for (size_t c = 0; c < 3 && !last_pair_[c].empty(); ++c) {
      const FloatPlane& d = last_pair_[c];
      const int sx = c == 0 ? 0 : clip_.format.shiftX(), sy = c == 0 ? 0 : clip_.format.shiftY();
      for (int y = 0; y + kBlock <= d.height; y += kBlock)
        for (int x = 0; x + kBlock <= d.width; x += kBlock)
          if (standsStill(x << sx, y << sy, kBlock << sx, kBlock << sy))
            octaves[c].add(d.row(y) + x, d.stride);
    }
  }

  /// Variance of differences to the frame before, against those four frames apart: below 1 noise sticks.
  double fresh() const { return far_ > 0 ? near_ / far_ : 1; }

 private:
  void start(const Planes& first) {
    for (size_t c = 0; c < 3; ++c)
      if (static_cast<int>(c) < first.count)
        cells_[c] = CellSums(first.plane[c].width, first.plane[c].height);
  }
  double cellLevel(size_t i) const { return static_cast<double>(cells_[0].level[i]); }
  void addLevels(const Planes& p) {
    for (size_t c = 0; c < 3; ++c)
      for (int row = 0; row < cells_[c].rows; ++row)
        for (int column = 0; column < cells_[c].columns; ++column) {
          float sum = 0;
          for (int y = 0; y < kCell; ++y)
            for (int x = 0; x < kCell; ++x) sum += p.plane[c].row(row * kCell + y)[column * kCell + x];
          cells_[c].level[static_cast<size_t>(row) * static_cast<size_t>(cells_[c].columns) +
                          static_cast<size_t>(column)] += sum / (kCell * kCell);
        }
  }
  // Of a cell of luma: Cb, Cr; grey where there are none.
  std::pair<double, double> chromaAt(size_t luma_cell) const {
    const CellSums &cb = cells_[1], &cr = cells_[2];
    if (cb.level.empty()) return {128, 128};
    const int row = static_cast<int>(luma_cell) / cells_[0].columns >> clip_.format.shiftY(),
              column = static_cast<int>(luma_cell) % cells_[0].columns >> clip_.format.shiftX();
    const size_t at = static_cast<size_t>(std::min(row, cb.rows - 1)) * static_cast<size_t>(cb.columns) +
                      static_cast<size_t>(std::min(column, cb.columns - 1));
    return {static_cast<double>(cb.level[at]), static_cast<double>(cr.level[at])};
  }
  // A change of light moves all pixels of one level alike: their median goes before squaring.
  void addPair(const Planes& a, const Planes& b) {
    for (size_t c = 0; c < static_cast<size_t>(a.count); ++c) {
      FloatPlane d(a.plane[c].width, a.plane[c].height);
      std::array<std::vector<float>, kBins> by_level;
      for (int y = 0; y < d.height; ++y)
        for (int x = 0; x < d.width; ++x) {
          d.row(y)[x] = b.plane[c].row(y)[x] - a.plane[c].row(y)[x];
          if ((x + 3 * y) % 7 == 0) by_level[static_cast<size_t>(levelBin(c, x, y))].push_back(d.row(y)[x]);
        }
      std::array<float, kBins> drift{};
      for (size_t bin = 0; bin < kBins; ++bin) drift[bin] = trimmedMean(by_level[bin]);
      for (int row = 0; row < cells_[c].rows; ++row)
        for (int column = 0; column < cells_[c].columns; ++column) {
          double sum = 0;
          for (int y = row * kCell; y < (row + 1) * kCell; ++y)
            for (int x = column * kCell; x < (column + 1) * kCell; ++x) {
              float& v = d.row(y)[x];
              v = (v - drift[static_cast<size_t>(levelBin(c, x, y))]) * 0.70710678F;
              sum += static_cast<double>(v) * static_cast<double>(v);
            }
          cells_[c].square[static_cast<size_t>(row) * static_cast<size_t>(cells_[c].columns) +
                           static_cast<size_t>(column)] += sum / (kCell * kCell);
        }
      last_pair_[c] = std::move(d);
    }
    ++pairs_;
    compareNear(a, b);
  }
  void compareNear(const Planes& a, const Planes& b) {
    if (previous_.count > 0)
      for (int y = 0; y < a.plane[0].height; y += 5)
        for (int x = 0; x < a.plane[0].width; x += 5) {
          const double near = static_cast<double>(b.plane[0].row(y)[x] - previous_.plane[0].row(y)[x]);
          const double far = static_cast<double>(b.plane[0].row(y)[x] - a.plane[0].row(y)[x]);
          near_ += std::min(near * near, 400.0);
          far_ += std::min(far * far, 400.0);
        }
    previous_ = b;
  }
  // By the mean of the cell over time so far. By the sample's own noisy luma would be wrong: samples of one
  // reading share part of their noise, and the median would take it away.
  int levelBin(size_t c, int x, int y) const {
    const int sx = c == 0 ? 0 : clip_.format.shiftX(), sy = c == 0 ? 0 : clip_.format.shiftY();
    const int column = std::min((x << sx) / kCell, cells_[0].columns - 1),
              row = std::min((y << sy) / kCell, cells_[0].rows - 1);
    return binOf(cellLevel(static_cast<size_t>(row) * static_cast<size_t>(cells_[0].columns) +
                           static_cast<size_t>(column)) /
                 frames_);
  }
  static float trimmedMean(std::vector<float>& values) {
    if (values.size() < 30) return 0;
    const auto cut = static_cast<ptrdiff_t>(values.size() / 10);
    std::nth_element(values.begin(), values.begin() + cut, values.end());
    std::nth_element(values.begin() + cut, values.end() - cut, values.end());
    double sum = 0;
    for (auto it = values.begin() + cut; it != values.end() - cut; ++it) sum += static_cast<double>(*it);
    return static_cast<float>(sum / static_cast<double>(values.size() - 2 * static_cast<size_t>(cut)));
  }
  // The luma cell under the middle of a chroma cell.
  size_t lumaCell(size_t c, size_t i) const {
    const int sx = c == 0 ? 0 : clip_.format.shiftX(), sy = c == 0 ? 0 : clip_.format.shiftY();
    const int row = (static_cast<int>(i) / cells_[c].columns) << sy,
              column = (static_cast<int>(i) % cells_[c].columns) << sx;
    return static_cast<size_t>(row) * static_cast<size_t>(cells_[0].columns) + static_cast<size_t>(column);
  }
  std::vector<double> medians() const {
    std::array<std::vector<double>, kBins> values;
    for (size_t i = 0; i < cells_[0].square.size(); ++i)
      values[static_cast<size_t>(binOf(cellLevel(i)))].push_back(cells_[0].square[i] / pairs_);
    std::vector<double> out(kBins, 0);
    for (size_t bin = 0; bin < kBins; ++bin) {
      auto& v = values[bin];
      if (v.empty()) continue;
      std::nth_element(v.begin(), v.begin() + static_cast<ptrdiff_t>(v.size() / 2), v.end());
      out[bin] = v[v.size() / 2];
    }
    return out;
  }
  bool standsStill(int x, int y, int width, int height) const {
    for (int row = y / kCell; row < (y + height) / kCell; ++row)
      for (int column = x / kCell; column < (x + width) / kCell; ++column) {
        if (row >= cells_[0].rows || column >= cells_[0].columns) return false;
        if (!still_[static_cast<size_t>(row) * static_cast<size_t>(cells_[0].columns) +
                    static_cast<size_t>(column)])
          return false;
      }
    return true;
  }

  const ClipInfo& clip_;
  CodeEnds ends_;
  detail::EndsSeen seen_;
  PrimaryCodes codes_;
  std::array<CellSums, 3> cells_;
  std::vector<bool> still_;
  std::array<FloatPlane, 3> last_pair_;
  Planes previous_;
  double near_ = 0, far_ = 0;
  int frames_ = 0, pairs_ = 0;
};

}  // namespace

NoiseFinding measureStatic(std::span<const ClipInfo> shots, double iso, const Progress& progress) {
  NoiseFinding finding;
  StillSums sums;
  std::array<OctaveSums, 3> octaves;
  double fresh = 1;
  CodeEnds ends;
  for (const ClipInfo& clip : shots) {
    StaticShot shot(clip);
    shot.read(progress);
    if (shot.pairs() < 3)
      throw Error(ErrorKind::Evidence, "The locked-off shot is too short", clip.path.string(),
                  std::to_string(shot.frames()) + " different frames", "Film at least a second");
    finding.share_used += shot.settle(sums) / static_cast<double>(shots.size());
    shot.addOctaves(octaves);
    finding.frames += shot.frames();
    fresh = std::min(fresh, shot.fresh());
    ends = {std::max(ends.low, shot.endsSeen().low), std::min(ends.high, shot.endsSeen().high)};
  }
  const std::vector<NoisePoint> of_colours = sums.points();
  if (of_colours.empty() || finding.share_used < 0.02)
    throw Error(ErrorKind::Evidence, "Nothing stands still in this shot",
                shots.empty() ? "" : shots.front().path.string(), "",
                "Put the camera on a tripod, or measure from flat patches");
  finding.curve = curveOfGreys(of_colours, [&](std::span<const NoisePoint> points) {
    return curveThrough(byLevel(points), iso, ends);
  });
  finding.points = byLevel(asGreys(of_colours, finding.curve));
  for (size_t c = 0; c < 3; ++c) finding.curve.octaves[c] = octaves[c].relative();
  finding.residual = residualOf(finding.points, finding.curve);
  if (fresh < 0.8)
    finding.warnings.emplace_back(
        "Noise sticks from frame to frame: the camera denoises or compresses strongly. Neighbour frames will "
        "help less than the curve says.");
  if (finding.points.back().level - finding.points.front().level < 90)
    finding.warnings.emplace_back(
        "The shot has few levels of brightness; beyond them the curve is extended.");
  if (finding.share_used < 0.3)
    finding.warnings.emplace_back("Most of the picture moves or is clipped and was left out.");
  return finding;
}

}  // namespace glenhaze
