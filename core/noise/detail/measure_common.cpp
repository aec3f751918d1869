#include "core/noise/detail/measure_common.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/noise/detail/block_kernel.h"

namespace glenhaze::detail {

Ends codeEnds(const ColourTags& colour) { return colour.full_range ? Ends{0, 255} : Ends{16, 235}; }

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
    const double s = curve.sigmaAt(0, p.level), d = std::sqrt(p.variance[0]) / s - 1;
    sum += d * d * p.weight[0];
    weight += p.weight[0];
  }
  return std::sqrt(sum / std::max(1e-9, weight));
}

}  // namespace glenhaze::detail
