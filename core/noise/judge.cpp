#include "core/noise/judge.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.h"
#include "core/base/parallel.h"

namespace glenhaze {

namespace {

constexpr int kSide = 16;
constexpr double kStructured = 5;  // times the noise's variance: a place with structure of its own
constexpr double kTaken = 0.05;    // share of contrast; a curve that is a tenth off explains half of that

struct BlockFigures {
  double source = 0, product = 0;            ///< variance, and covariance of source and removed
  double noise = 0;                          ///< measured variance at its level
  double level_source = 0, level_clean = 0;  ///< variances about the plane that fits best
};

// What a slope adds to a variance over a square: of sums of values times their places from its middle.
double slopeIn(double across, double down) {
  constexpr double n = kSide * kSide, kPlaces = n * (kSide * kSide - 1) / 12.0;
  return (across * across + down * down) / kPlaces / n;
}

// Sums down each column, which compilers turn into vectors.
struct Columns {
  std::array<float, kSide> all{}, squares{}, downwards{};

  void add(int x, float v, float down) {
    all[static_cast<size_t>(x)] += v;
    squares[static_cast<size_t>(x)] += v * v;
    downwards[static_cast<size_t>(x)] += v * down;
  }
};

struct Sums {
  double all = 0, squares = 0, across = 0, down = 0;

  explicit Sums(const Columns& columns) {
    for (size_t x = 0; x < kSide; ++x) {
      all += static_cast<double>(columns.all[x]);
      squares += static_cast<double>(columns.squares[x]);
      across += (static_cast<double>(x) - (kSide - 1) / 2.0) * static_cast<double>(columns.all[x]);
      down += static_cast<double>(columns.downwards[x]);
    }
  }
  double variance() const { return squares / kArea - all * all / kArea / kArea; }
  static constexpr double kArea = kSide * kSide;
};

// The block at (x0, y0); `unit`: codes of the format in one of 8 bits.
template <typename T>
BlockFigures figuresOf(const Plane& source, const Plane& clean, int x0, int y0, float unit,
                       const NoiseCurve& curve) {
  // From a level within the block on, so that squares stay small.
  const float base = static_cast<float>(source.row<T>(y0)[x0]) * unit;
  Columns s, c;
  std::array<float, kSide> products{};
  for (int y = 0; y < kSide; ++y) {
    const T *a = source.row<T>(y0 + y) + x0, *b = clean.row<T>(y0 + y) + x0;
    const float down = static_cast<float>(y) - (kSide - 1) / 2.0F;
    for (int x = 0; x < kSide; ++x) {
      const float before = static_cast<float>(a[x]) * unit - base,
                  after = static_cast<float>(b[x]) * unit - base;
      s.add(x, before, down);
      c.add(x, after, down);
      products[static_cast<size_t>(x)] += before * (before - after);
    }
  }
  const Sums of_source(s), of_clean(c);
  constexpr double n = Sums::kArea;
  double product = 0;
  for (const float v : products) product += static_cast<double>(v);
  const double sigma = curve.sigmaAt(0, static_cast<double>(base) + of_source.all / n);
  return {of_source.variance(), product / n - of_source.all * (of_source.all - of_clean.all) / n / n,
          sigma * sigma, of_source.variance() - slopeIn(of_source.across, of_source.down),
          of_clean.variance() - slopeIn(of_clean.across, of_clean.down)};
}

// What a row of blocks adds to the verdict.
struct RowFigures {
  std::vector<double> left;
  double taken = 0, contrast = 0;

  void take(const BlockFigures& f) {
    if (f.level_source > 0 && f.level_source < 1.5 * f.noise)
      left.push_back(std::max(0.0, f.level_clean) / f.level_source);
    if (f.source < kStructured * f.noise) return;
    // Removed noise is part of the source's variance; what goes beyond it was structure.
    taken += f.product - f.noise;
    contrast += f.source - f.noise;
  }
};

}  // namespace

RemovalVerdict judgeRemoval(const Frame& source, const Frame& clean, const NoiseCurve& curve) {
  if (source.width != clean.width || source.height != clean.height || !(source.format == clean.format))
    throw Error(ErrorKind::BadRequest, "These frames cannot be compared", "", "they differ in size or format",
                "");
  std::vector<RowFigures> rows(static_cast<size_t>(source.height / kSide));
  const float unit = 1.0F / static_cast<float>(1 << (source.format.bit_depth - 8));
  parallelBlocks(static_cast<int>(rows.size()), 2, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int x = 0; x + kSide <= source.width; x += kSide) {
        const auto judged = source.format.bytesPerSample() == 1 ? figuresOf<uint8_t> : figuresOf<uint16_t>;
        rows[static_cast<size_t>(row)].take(
            judged(source.planes[0], clean.planes[0], x, row * kSide, unit, curve));
      }
  });
  std::vector<double> left;
  double taken = 0, contrast = 0;
  for (const RowFigures& row : rows) {
    left.insert(left.end(), row.left.begin(), row.left.end());
    taken += row.taken;
    contrast += row.contrast;
  }
  RemovalVerdict verdict;
  if (!left.empty()) {
    const auto middle = left.begin() + static_cast<ptrdiff_t>(left.size() / 2);
    std::nth_element(left.begin(), middle, left.end());
    verdict.noise_left = std::sqrt(*middle);
  }
  if (contrast > 0) verdict.structure_taken = std::max(0.0, taken / contrast);
  verdict.takes_structure = verdict.structure_taken > kTaken;
  return verdict;
}

double strengthThatKeepsStructure(const std::vector<Frame>& frames, size_t middle, const NoiseCurve& curve,
                                  DenoiseSettings settings, const Progress& progress) {
  const double set = settings.luma;
  constexpr int kTries = 6;
  for (int i = 0; i < kTries; ++i) {
    progress.check();
    progress.update(static_cast<double>(i) / kTries);
    settings.luma = set * (1 - 0.15 * i);
    if (!judgeRemoval(frames[middle], denoiseOne(frames, middle, curve, settings), curve).takes_structure)
      break;
  }
  return settings.luma;
}

double strengthThatKeepsStructure(const ClipInfo& clip, Fields fields, int64_t frame, const NoiseCurve& curve,
                                  const DenoiseSettings& settings, const Progress& progress) {
  const FramesAround around = framesAround(clip, frame, Denoiser::looksBack(settings, frame),
                                           settings.frames_each_side, {0, fields}, progress);
  return strengthThatKeepsStructure(around.frames, around.middle, curve, settings, progress);
}

}  // namespace glenhaze
