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
};

BlockFigures figuresOf(const detail::FloatPlane& source, const detail::FloatPlane& clean, int x0, int y0,
                       const NoiseCurve& curve) {
  double s = 0, c = 0, ss = 0, cc = 0, cr = 0, r = 0;
  for (int y = y0; y < y0 + kSide; ++y)
    for (int x = x0; x < x0 + kSide; ++x) {
      const auto a = static_cast<double>(source.row(y)[x]), b = static_cast<double>(clean.row(y)[x]);
      s += a, c += b, r += a - b;
      ss += a * a, cc += b * b, cr += a * (a - b);
    }
  constexpr double n = kSide * kSide;
  const double sigma = curve.sigmaAt(0, s / n);
  return {ss / n - s * s / n / n, cc / n - c * c / n / n, cr / n - s * r / n / n, sigma * sigma};
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
      if (f.source > 0 && f.source < 1.5 * f.noise) left.push_back(std::max(0.0, f.clean) / f.source);
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
