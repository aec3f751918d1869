#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.h"
#include "core/base/parallel.h"
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

// What is left of a plane's rectangle when a surface of second degree is taken away: rows of residuals.
struct Surface {
  std::vector<float> left;
  double variance = 0;
  double mean = 0;
  double range = 0;  ///< of the surface over the rectangle
};

// Along one side of a rectangle, −1..1: place and its square less the mean of all squares. With 1 and their
// products they are orthogonal over the grid, so that each coefficient stands alone.
struct Side {
  std::vector<double> first, second;
  double first_square = 0, second_square = 0;
  explicit Side(int count) {
    double mean = 0;
    for (int i = 0; i < count; ++i) {
      first.push_back(2.0 * (i + 0.5) / count - 1);
      mean += first.back() * first.back() / count;
    }
    for (const double u : first) {
      second.push_back(u * u - mean);
      first_square += u * u;
      second_square += second.back() * second.back();
    }
  }
};

constexpr int kTerms = 6;  // 1, u, v, u², uv, v²

std::array<double, kTerms> surfaceOf(const FloatPlane& plane, const PatchRect& r, const Side& u,
                                     const Side& v) {
  std::array<double, kTerms> c{};
  for (int y = 0; y < r.height; ++y) {
    const float* row = plane.row(r.y + y) + r.x;
    double sum = 0, by_u = 0, by_uu = 0;
    for (int x = 0; x < r.width; ++x) {
      const auto value = static_cast<double>(row[x]);
      const auto i = static_cast<size_t>(x);
      sum += value;
      by_u += value * u.first[i];
      by_uu += value * u.second[i];
    }
    const auto j = static_cast<size_t>(y);
    c[0] += sum;
    c[1] += by_u;
    c[2] += sum * v.first[j];
    c[3] += by_uu;
    c[4] += by_u * v.first[j];
    c[5] += sum * v.second[j];
  }
  c[0] /= static_cast<double>(r.width) * r.height;
  c[1] /= u.first_square * r.height;
  c[2] /= v.first_square * r.width;
  c[3] /= std::max(1e-12, u.second_square * r.height);
  c[4] /= u.first_square * v.first_square;
  c[5] /= std::max(1e-12, v.second_square * r.width);
  return c;
}

Surface flatten(const FloatPlane& plane, const PatchRect& r) {
  const Side u(r.width), v(r.height);
  const auto c = surfaceOf(plane, r, u, v);
  Surface s;
  s.mean = c[0];
  s.left.reserve(static_cast<size_t>(r.width) * static_cast<size_t>(r.height));
  double low = 1e9, high = -1e9, squares = 0;
  for (int y = 0; y < r.height; ++y) {
    const auto j = static_cast<size_t>(y);
    const float* row = plane.row(r.y + y) + r.x;
    const double base = c[0] + c[2] * v.first[j] + c[5] * v.second[j], slope = c[1] + c[4] * v.first[j];
    for (int x = 0; x < r.width; ++x) {
      const auto i = static_cast<size_t>(x);
      const double surface = base + slope * u.first[i] + c[3] * u.second[i];
      const double left = static_cast<double>(row[x]) - surface;
      low = std::min(low, surface);
      high = std::max(high, surface);
      squares += left * left;
      s.left.push_back(static_cast<float>(left));
    }
  }
  s.variance = squares / std::max(1.0, static_cast<double>(r.width) * r.height - kTerms);
  s.range = high - low;
  return s;
}

PatchRect onPlane(const PatchRect& r, const PixelFormat& format, int plane) {
  if (plane == 0) return r;
  const int sx = format.shiftX(), sy = format.shiftY();
  return {(r.x + (1 << sx) - 1) >> sx, (r.y + (1 << sy) - 1) >> sy, r.width >> sx, r.height >> sy};
}

constexpr int kAcross = 4;
struct CellFigures {
  std::array<double, kAcross * kAcross> mean{}, square{};
  double samples = 0;  ///< in a cell
};

CellFigures cellsOf(const Surface& s, const PatchRect& r) {
  CellFigures cells;
  cells.samples = static_cast<double>(r.width) * r.height / (kAcross * kAcross);
  for (int j = 0; j < kAcross; ++j)
    for (int i = 0; i < kAcross; ++i) {
      double sum = 0, squares = 0, n = 0;
      for (int y = r.height * j / kAcross; y < r.height * (j + 1) / kAcross; ++y)
        for (int x = r.width * i / kAcross; x < r.width * (i + 1) / kAcross; ++x, ++n) {
          const double v = static_cast<double>(
              s.left[static_cast<size_t>(y) * static_cast<size_t>(r.width) + static_cast<size_t>(x)]);
          sum += v;
          squares += v * v;
        }
      const auto at = static_cast<size_t>(j * kAcross + i);
      cells.mean[at] = sum / std::max(1.0, n);
      cells.square[at] = squares / std::max(1.0, n);
    }
  return cells;
}

// Largest against median variance over the cells: what noise alone cannot make.
double unevenness(const CellFigures& cells) {
  auto sorted = cells.square;
  std::sort(sorted.begin(), sorted.end());
  return sorted.back() / std::max(1e-6, sorted[sorted.size() / 2]);
}

// Mean squares of the cells' means against what white noise leaves in a mean: blotchy noise makes some 4.
double coarseness(const CellFigures& cells, const Surface& s) {
  double sum = 0;
  for (const double m : cells.mean) sum += m * m;
  return sum / static_cast<double>(cells.mean.size()) * cells.samples / std::max(1e-6, s.variance);
}

// Means along columns and along rows: what lies straight across a patch stands out there.
std::array<std::vector<double>, 2> profilesOf(const Surface& s, const PatchRect& r) {
  std::array<std::vector<double>, 2> sums{std::vector<double>(static_cast<size_t>(r.width)),
                                          std::vector<double>(static_cast<size_t>(r.height))};
  for (size_t y = 0; y < sums[1].size(); ++y)
    for (size_t x = 0; x < sums[0].size(); ++x) {
      const auto v = static_cast<double>(s.left[y * sums[0].size() + x]);
      sums[0][x] += v;
      sums[1][y] += v;
    }
  return sums;
}

template <typename Values>
double likeness(const Values& a, const Values& b) {
  double ab = 0, aa = 0, bb = 0;
  for (size_t i = 0; i < a.size(); ++i) {
    const auto x = static_cast<double>(a[i]), y = static_cast<double>(b[i]);
    ab += x * y;
    aa += x * x;
    bb += y * y;
  }
  return ab / std::max(1e-9, std::sqrt(aa * bb));
}

double clippedShare(const FloatPlane& luma, const PatchRect& r, const CodeEnds& ends) {
  double n = 0;
  for (int y = r.y; y < r.y + r.height; ++y)
    for (int x = r.x; x < r.x + r.width; ++x) {
      const auto v = static_cast<double>(luma.row(y)[x]);
      n += v <= ends.low || v >= ends.high ? 1 : 0;
    }
  return n / (static_cast<double>(r.width) * r.height);
}

std::string faultOf(const Surface& s, const Surface* next, const PatchRect& r, double clipped) {
  if (clipped > 0.01) return "clipped: choose a place that is neither burnt out nor black";
  if (next != nullptr && std::abs(next->mean - s.mean) > 3 * std::sqrt(s.variance / 30) + 0.6)
    return "moving: its brightness changes from frame to frame";
  if (s.range > 26)
    return "gradient: the light falls off across it; choose a smaller or more evenly lit place";
  const char* repeated = "texture: the same structure is in the frame after it";
  if (next != nullptr && likeness(s.left, next->left) > 0.3) return repeated;
  const CellFigures cells = cellsOf(s, r);
  // Coarse structure that both frames share; unrelated means are that alike once in fifty.
  if (next != nullptr) {
    const auto here = profilesOf(s, r), there = profilesOf(*next, r);
    if (likeness(here[0], there[0]) > 0.5 || likeness(here[1], there[1]) > 0.5) return repeated;
    if (coarseness(cells, s) > 1.6 && likeness(cells.mean, cellsOf(*next, r).mean) > 0.5) return repeated;
  }
  if (coarseness(cells, s) > 12) return "texture: something larger lies across it";
  // Cells of blotchy noise: three times the scatter of white noise.
  if (unevenness(cells) > 1 + 9 * std::sqrt(2 / cells.samples))
    return "texture: part of it is busier than the rest";
  return "";
}

// A frame to find patches on, and the frame after it, which tells noise from structure.
struct Place {
  PixelFormat format;
  PrimaryCodes primaries;
  CodeEnds ends;
  Planes here;
  std::optional<Planes> after;
  detail::MotionField motion;  ///< from here to after
};

Place placeOf(const Frame& frame, const Frame* next) {
  Place place{frame.format,
              PrimaryCodes(frame.colour, frame.height),
              codeEnds(frame.colour),
              planesOf(frame),
              {},
              {}};
  if (next == nullptr || next->width != frame.width || next->height != frame.height) return place;
  place.after = planesOf(*next);
  constexpr float kSigma = 3;  // any noise that is not tiny: it only calms the search
  place.motion = detail::estimateMotion(detail::motionPicture(detail::samplePlane(frame, 0)),
                                        detail::motionPicture(detail::samplePlane(*next, 0)), kSigma);
  return place;
}

// Where the middle of a patch has moved to in the frame after, luma px.
detail::BlockVector motionOf(const Place& place, const PatchRect& r) {
  const auto block = [](int middle, int count) {
    return std::clamp((middle - detail::kBlock / 2) / detail::kStep + 1, 0, count - 1);
  };
  return place.motion.at(block(r.x + r.width / 2, place.motion.columns),
                         block(r.y + r.height / 2, place.motion.rows));
}

constexpr int kReach = 3;  // px about where a patch is said to have moved: flat places tell it badly

constexpr int kShifts = 2 * kReach + 1;

// Products with the frame after at all shifts, and between them by Lanczos' kernel of 3 px: what a picture
// has in common with another one between its pixels is interpolated as the picture itself would be.
struct Common {
  std::array<double, kShifts * kShifts> at{};

  double between(double i, double j) const {
    const auto weights = [](double middle) {
      std::array<double, kShifts> w{};
      double sum = 0;
      for (int k = 0; k < kShifts; ++k) {
        const double x = std::numbers::pi * (k - middle);
        double& weight = w[static_cast<size_t>(k)];
        if (std::abs(k - middle) < 3)
          weight = std::abs(x) < 1e-9 ? 1 : 3 * std::sin(x) * std::sin(x / 3) / (x * x);
        sum += weight;
      }
      for (double& weight : w) weight /= sum;
      return w;
    };
    const auto across = weights(i), down = weights(j);
    double sum = 0;
    for (size_t y = 0; y < kShifts; ++y)
      for (size_t x = 0; x < kShifts; ++x) sum += across[x] * down[y] * at[y * kShifts + x];
    return sum;
  }

  double largest() const {
    const auto best = static_cast<int>(std::max_element(at.begin(), at.end()) - at.begin());
    constexpr double kStep = 0.25;  // px
    double most = at[static_cast<size_t>(best)];
    for (int dj = -2; dj <= 2; ++dj)
      for (int di = -2; di <= 2; ++di)
        most = std::max(most, between(best % kShifts + kStep * di, best / kShifts + kStep * dj));
    return most;
  }
};

// Variance of a patch that is structure: what it has in common with where it has moved in the frame after,
// since noise has nothing in common. `s` is orthogonal to every surface of second degree, so the frame after
// need not be flattened. What the largest of so many products of mere noise comes to is taken off.
double structureIn(const Surface& s, const FloatPlane& after, const PatchRect& r, double dx, double dy) {
  Common common;
  const double n = static_cast<double>(r.width) * r.height;
  for (int j = 0; j < kShifts; ++j)
    for (int i = 0; i < kShifts; ++i) {
      const int x0 = r.x + static_cast<int>(std::lround(dx)) + i - kReach,
                y0 = r.y + static_cast<int>(std::lround(dy)) + j - kReach;
      if (x0 < 0 || y0 < 0 || x0 + r.width > after.width || y0 + r.height > after.height) continue;
      double sum = 0;
      for (int y = 0; y < r.height; ++y) {
        const float* row = after.row(y0 + y) + x0;
        const float* left = s.left.data() + static_cast<ptrdiff_t>(y) * r.width;
        float line = 0;
        for (int x = 0; x < r.width; ++x) line += left[x] * row[x];
        sum += static_cast<double>(line);
      }
      common.at[static_cast<size_t>(j * kShifts + i)] = sum / n;
    }
  const double peak = common.largest();
  constexpr double kLargestOfMany = 2.2;  // standard deviations: middle value of the largest of 49
  return std::max(0.0, peak - kLargestOfMany * s.variance / std::sqrt(n));
}

PatchVerdict verdictOf(const Place& place, const PatchRect& rect) {
  PatchVerdict v;
  v.rect = rect;
  const FloatPlane& luma = place.here.plane[0];
  if (rect.x < 0 || rect.y < 0 || rect.x + rect.width > luma.width || rect.y + rect.height > luma.height) {
    v.why = "outside the picture";
    return v;
  }
  if (rect.width < 16 || rect.height < 16) {
    v.why = "too small: at least 16 × 16 pixels, bigger is better";
    return v;
  }
  const Surface s = flatten(luma, rect);
  std::optional<Surface> after;
  if (place.after) after = flatten(place.after->plane[0], rect);
  v.level = s.mean;
  v.variance[0] = s.variance;
  for (int p = 1; p < place.here.count; ++p)
    v.variance[static_cast<size_t>(p)] =
        flatten(place.here.plane[static_cast<size_t>(p)], onPlane(rect, place.format, p)).variance;
  v.why = faultOf(s, after ? &*after : nullptr, rect, clippedShare(luma, rect, place.ends));
  if (v.why.empty() && place.after) {
    constexpr double kMostStructure = 0.3;  // of the variance; less is taken off
    constexpr double kLeast = 0.02;         // codes squared: less than rounding makes
    const detail::BlockVector m = motionOf(place, rect);
    for (int p = 0; p < place.here.count; ++p) {
      const auto plane = static_cast<size_t>(p);
      const PatchRect r = onPlane(rect, place.format, p);
      const Surface of_plane = p == 0 ? s : flatten(place.here.plane[plane], r);
      const double across = p == 0 ? 1 : 1 << place.format.shiftX(),
                   down = p == 0 ? 1 : 1 << place.format.shiftY();
      const double structure =
          structureIn(of_plane, place.after->plane[plane], r, static_cast<double>(m.dx) / across,
                      static_cast<double>(m.dy) / down);
      if (structure > std::max(kLeast, kMostStructure * v.variance[plane]))
        v.why = "texture: it moves along with the picture";
      v.variance[plane] -= structure;
    }
  }
  v.flat = v.why.empty();
  return v;
}

// Frames spread over a clip, in pairs of neighbours.
std::vector<FramePair> framePairs(const ClipInfo& clip, int pairs) {
  std::vector<FramePair> out;
  ClipReader reader(clip);
  int64_t before = -1;
  for (int i = 0; i < pairs; ++i) {
    // The last frame has none after it.
    const int64_t at =
        std::max<int64_t>(0, std::min(clip.frames * (2 * i + 1) / (2 * pairs), clip.frames - 2));
    if (at == before) continue;
    before = at;
    reader.seek(at);
    auto a = reader.next();
    if (!a) break;
    out.push_back({std::move(*a), reader.next()});
    if (clip.frames < 2) break;
  }
  return out;
}

}  // namespace

PatchVerdict judgePatch(const Frame& frame, const Frame* next, const PatchRect& rect) {
  return verdictOf(placeOf(frame, next), rect);
}

namespace {

bool overlap(const PatchRect& a, const PatchRect& b) {
  return a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height;
}

// Side of the patches that are looked for: a patch of subsampled chroma still holds a whole block.
int cellSide(int width, int height) { return std::clamp(std::min(width, height) / 24 / 8 * 8, 32, 48); }

}  // namespace

std::vector<PatchVerdict> judgeCells(const Frame& frame, const Frame* next) {
  const Place place = placeOf(frame, next);
  const int side = cellSide(frame.width, frame.height), columns = frame.width / side,
            rows = frame.height / side;
  std::vector<PatchVerdict> cells(static_cast<size_t>(std::max(0, columns * rows)));
  parallelBlocks(rows, 1, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int column = 0; column < columns; ++column)
        cells[static_cast<size_t>(row) * static_cast<size_t>(columns) + static_cast<size_t>(column)] =
            verdictOf(place, {column * side, row * side, side, side});
  });
  return cells;
}

namespace {

std::vector<PatchRect> flatPatchesIn(const Place& place, size_t most) {
  const FloatPlane& luma = place.here.plane[0];
  // Half a patch apart, so that some lie between borders whatever the grid.
  const int side = cellSide(luma.width, luma.height), step = side / 2;
  const int columns = std::max(0, (luma.width - side) / step + 1),
            rows = std::max(0, (luma.height - side) / step + 1);
  struct Candidate {
    PatchRect rect;
    double level = 0, chosen_by = 0;
  };
  std::vector<Candidate> all(static_cast<size_t>(std::max(0, columns * rows)));
  parallelBlocks(rows, 1, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int column = 0; column < columns; ++column) {
        Candidate& c =
            all[static_cast<size_t>(row) * static_cast<size_t>(columns) + static_cast<size_t>(column)];
        c.rect = {column * step, row * step, side, side};
        // Chosen by the frame after it where there is one: a place that is quiet by chance there is not here.
        const Surface s = flatten((place.after ? *place.after : place.here).plane[0], c.rect);
        c.level = s.mean;
        c.chosen_by = s.variance;
      }
  });
  constexpr int kGroups = 24;  // of level, each of which gets its turn
  std::array<std::vector<const Candidate*>, kGroups> by_level;
  for (const Candidate& c : all)
    by_level[static_cast<size_t>(std::clamp(static_cast<int>(c.level * kGroups / 256), 0, kGroups - 1))]
        .push_back(&c);
  std::vector<PatchRect> found;
  std::array<size_t, kGroups> taken{};
  for (auto& level : by_level)
    std::sort(level.begin(), level.end(),
              [](const Candidate* x, const Candidate* y) { return x->chosen_by < y->chosen_by; });
  // In turns over the levels, quietest first; a level is left when its places become much busier than its
  // first.
  for (bool any = true; any && found.size() < most;) {
    any = false;
    for (size_t l = 0; l < by_level.size() && found.size() < most; ++l)
      while (taken[l] < by_level[l].size()) {
        const Candidate& c = *by_level[l][taken[l]++];
        if (c.chosen_by > 1.7 * by_level[l].front()->chosen_by + 0.05) {
          taken[l] = by_level[l].size();
          break;
        }
        if (std::any_of(found.begin(), found.end(), [&](const PatchRect& r) { return overlap(r, c.rect); }))
          continue;
        if (!verdictOf(place, c.rect).flat) continue;
        found.push_back(c.rect);
        any = true;
        break;
      }
  }
  return found;
}

}  // namespace

std::vector<PatchRect> findFlatPatches(const Frame& frame, const Frame* next, size_t most) {
  return flatPatchesIn(placeOf(frame, next), most);
}

namespace {

// What patches say, gathered over frames and shots.
class PatchSums {
 public:
  /// `patches`: by hand; empty: found here.
  void add(const FramePair& pair, std::span<const PatchRect> patches, bool list) {
    const Place place = placeOf(pair.frame, pair.next ? &*pair.next : nullptr);
    ends_ = place.ends;
    seen_.add(place.here.plane[0]);
    const auto rects = patches.empty() ? flatPatchesIn(place, kPatches)
                                       : std::vector<PatchRect>(patches.begin(), patches.end());
    for (const PatchRect& rect : rects) {
      PatchVerdict v = verdictOf(place, rect);
      v.frame = pair.frame.index;
      if (list || patches.empty()) finding_.patches.push_back(v);
      if (v.flat) addFlat(place, v);
    }
    ++finding_.frames;
  }

  NoiseFinding finish(double iso, const std::string& where) {
    if (finding_.points.empty()) {
      const std::string why =
          finding_.patches.empty() ? "no flat place was found" : finding_.patches.front().why;
      throw Error(ErrorKind::Evidence, "No patch can be used", where, why,
                  "Place patches on even, evenly lit areas");
    }
    const CodeEnds ends = seen_.ends(ends_);
    finding_.curve = curveOfGreys(
        finding_.points, [&](std::span<const NoisePoint> points) { return curveThrough(points, iso, ends); });
    // The points stay as they were seen: their colours say how they are off the greys' curve.
    for (size_t c = 0; c < 3; ++c) finding_.curve.octaves[c] = octaves_[c].relative();
    finding_.residual = residualOf(finding_.points, finding_.curve);
    const auto [low, high] =
        std::minmax_element(finding_.points.begin(), finding_.points.end(),
                            [](const NoisePoint& a, const NoisePoint& b) { return a.level < b.level; });
    if (high->level - low->level < 60)
      finding_.warnings.emplace_back(
          "The patches are of nearly one brightness; beyond it the curve follows photon noise, not a "
          "measurement.");
    return std::move(finding_);
  }

 private:
  static constexpr size_t kPatches = 24;

  void addFlat(const Place& place, const PatchVerdict& v) {
    NoisePoint p;
    p.level = v.level;
    p.variance = v.variance;
    std::array<float, 3> mean{static_cast<float>(v.level), 128, 128};
    for (int c = 0; c < place.here.count; ++c) {
      const PatchRect r = onPlane(v.rect, place.format, c);
      p.weight[static_cast<size_t>(c)] = static_cast<double>(r.width) * r.height;
      const Surface s = flatten(place.here.plane[static_cast<size_t>(c)], r);
      OctaveSums own;
      for (int y = 0; y + kBlock <= r.height; y += kBlock)
        for (int x = 0; x + kBlock <= r.width; x += kBlock)
          own.add(s.left.data() + static_cast<ptrdiff_t>(y) * r.width + x, r.width);
      if (c > 0) p.colour = std::hypot(p.colour, s.mean - 128);
      if (c > 0) mean[static_cast<size_t>(c)] = static_cast<float>(s.mean);
      if (c == 0 && own.count[0] > 0) p.fine = own.power[0] / own.count[0];
      octaves_[static_cast<size_t>(c)].add(own);
    }
    p.primaries = place.primaries.of(mean[0], mean[1], mean[2]);
    finding_.points.push_back(p);
  }

  NoiseFinding finding_;
  std::array<OctaveSums, 3> octaves_;
  detail::EndsSeen seen_;
  CodeEnds ends_;
};

}  // namespace

NoiseFinding measurePatchesOf(std::span<const FramePair> pairs, double iso) {
  PatchSums sums;
  for (const FramePair& pair : pairs) sums.add(pair, {}, true);
  return sums.finish(iso, "");
}

NoiseFinding measurePatches(std::span<const NoiseShot> shots, double iso, const Progress& progress) {
  constexpr int kPairs = 4;
  PatchSums sums;
  size_t done = 0;
  for (const NoiseShot& shot : shots) {
    bool first = true;
    for (const FramePair& pair : framePairs(shot.clip, kPairs)) {
      progress.check();
      sums.add(pair, shot.patches, first);
      first = false;
    }
    progress.update(static_cast<double>(++done) / static_cast<double>(shots.size()));
  }
  return sums.finish(iso, shots.empty() ? "" : shots.front().clip.path.string());
}

}  // namespace glenhaze
