#include "core/noise/detail/measure_common.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/noise/coloured.h"
#include "core/noise/detail/block_kernel.h"

namespace glenhaze::detail {

CodeEnds codeEnds(const ColourTags& colour) {
  return colour.full_range ? CodeEnds{0, 255} : CodeEnds{16, 235};
}

void EndsSeen::add(const FloatPlane& luma) {
  for (int y = 0; y < luma.height; y += 3)
    for (int x = 0; x < luma.width; ++x)
      ++counts_[static_cast<size_t>(std::clamp(std::lround(luma.row(y)[x]), 0L, 255L))];
}

double EndsSeen::countAt(double code) const {
  return code < 0 || code > 255 ? 0 : counts_[static_cast<size_t>(code)];
}

CodeEnds EndsSeen::ends(const CodeEnds& said) const {
  constexpr double kPiledUp = 1.25;  // times as many as at the next code inwards: more than levels differ
  constexpr double kBeyond = 0.3;    // of as many within: coding leaves that, noise that goes on more
  constexpr double kMany = 200;      // samples: what is fewer shows nothing
  const auto piled = [&](double end, double inwards) {
    double within = 0, beyond = 0;
    for (const double step : {1.0, 2.0, 3.0}) {
      within += countAt(end + step * inwards);
      beyond += countAt(end - step * inwards);
    }
    return countAt(end) > kMany && countAt(end) > kPiledUp * countAt(end + inwards) &&
           beyond < kBeyond * within;
  };
  const bool runs_on = countAt(said.low) > kMany && !piled(said.low, 1);
  const bool ends = piled(said.high, -1);
  return {runs_on ? CodeEnds{}.low : said.low, ends ? said.high : CodeEnds{}.high};
}

void OctaveSums::add(const float* block, ptrdiff_t stride) {
  std::array<float, kBlockArea> c{};
  blockCosines(block, stride, c.data());
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) {
      if (x == 0 && y == 0) continue;
      const auto o = octaveOf(x, y);
      power[o] += static_cast<double>(c[static_cast<size_t>(y * kBlock + x)]) *
                  static_cast<double>(c[static_cast<size_t>(y * kBlock + x)]);
      ++count[o];
    }
}

void OctaveSums::add(const OctaveSums& other) {
  for (size_t o = 0; o < kNoiseOctaves; ++o) {
    power[o] += other.power[o];
    count[o] += other.count[o];
  }
}

std::array<double, kNoiseOctaves> OctaveSums::relative() const {
  double all = 0, n = 0;
  for (size_t o = 0; o < kNoiseOctaves; ++o) {
    all += power[o];
    n += count[o];
  }
  std::array<double, kNoiseOctaves> out{1, 1, 1, 1};
  if (all <= 0) return out;
  for (size_t o = 0; o < kNoiseOctaves; ++o)
    if (count[o] > 0) out[o] = power[o] / count[o] / (all / n);
  return out;
}

Planes planesOf(const Frame& frame) {
  if (frame.colour.matrix == 0 && frame.format.numPlanes() == 3)
    throw Error(ErrorKind::Evidence, "Noise is measured in luma and chroma only", "",
                "the picture is stored as red, green and blue", "");
  Planes p;
  p.count = frame.format.numPlanes();
  for (int i = 0; i < p.count; ++i) p.plane[static_cast<size_t>(i)] = floatPlane(frame, i);
  return p;
}

double residualOf(const std::vector<NoisePoint>& points, const NoiseCurve& curve) {
  double sum = 0, weight = 0;
  for (const NoisePoint& p : points) {
    const double s = curve.sigmaAt(0, p.level) * std::sqrt(colourRatioAt(p, 0, curve)),
                 d = std::sqrt(p.variance[0]) / s - 1;
    sum += d * d * p.weight[0];
    weight += p.weight[0];
  }
  return std::sqrt(sum / std::max(1e-9, weight));
}

}  // namespace glenhaze::detail
