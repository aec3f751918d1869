#include "core/noise/judge.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/noise/detail/planes.h"

namespace glenhaze {

namespace {

constexpr int kSide = 16;
constexpr double kStructured = 5;  // times the noise's variance: a place with structure of its own
constexpr double kTaken = 0.05;    // share of contrast; a curve that is a tenth off explains half of that

struct BlockFigures {
  double source = 0, clean = 0, product = 0;  ///< variances, and covariance of source and removed
  double noise = 0;                           ///< measured variance at its level
  double level_source = 0, level_clean = 0;   ///< variances about the plane that fits best
};

// What a slope adds to a variance over a square: of sums of values times their places from its middle.
double slopeIn(double across, double down) {
  constexpr double n = kSide * kSide, kPlaces = n * (kSide * kSide - 1) / 12.0;
  return (across * across + down * down) / kPlaces / n;
}

BlockFigures figuresOf(const detail::FloatPlane& source, const detail::FloatPlane& clean, int x0, int y0,
                       const NoiseCurve& curve) {
  double s = 0, c = 0, ss = 0, cc = 0, cr = 0, r = 0;
  double across_s = 0, down_s = 0, across_c = 0, down_c = 0;
  for (int y = y0; y < y0 + kSide; ++y)
    for (int x = x0; x < x0 + kSide; ++x) {
      const auto a = static_cast<double>(source.row(y)[x]), b = static_cast<double>(clean.row(y)[x]);
      s += a, c += b, r += a - b;
      ss += a * a, cc += b * b, cr += a * (a - b);
      const double u = x - x0 - (kSide - 1) / 2.0, v = y - y0 - (kSide - 1) / 2.0;
      across_s += u * a, down_s += v * a, across_c += u * b, down_c += v * b;
    }
  constexpr double n = kSide * kSide;
  const double sigma = curve.sigmaAt(0, s / n);
  const double source_variance = ss / n - s * s / n / n, clean_variance = cc / n - c * c / n / n;
  return {source_variance,
          clean_variance,
          cr / n - s * r / n / n,
          sigma * sigma,
          source_variance - slopeIn(across_s, down_s),
          clean_variance - slopeIn(across_c, down_c)};
}

}  // namespace

RemovalVerdict judgeRemoval(const Frame& source, const Frame& clean, const NoiseCurve& curve) {
  if (source.width != clean.width || source.height != clean.height || !(source.format == clean.format))
    throw Error(ErrorKind::BadRequest, "These frames cannot be compared", "", "they differ in size or format",
                "");
  const detail::FloatPlane a = detail::floatPlane(source, 0), b = detail::floatPlane(clean, 0);
  std::vector<double> left;
  double taken = 0, contrast = 0;
  for (int y = 0; y + kSide <= source.height; y += kSide)
    for (int x = 0; x + kSide <= source.width; x += kSide) {
      const BlockFigures f = figuresOf(a, b, x, y, curve);
      if (f.level_source > 0 && f.level_source < 1.5 * f.noise)
        left.push_back(std::max(0.0, f.level_clean) / f.level_source);
      if (f.source < kStructured * f.noise) continue;
      // Removed noise is part of the source's variance; what goes beyond it was structure.
      taken += f.product - f.noise;
      contrast += f.source - f.noise;
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
