#include "core/finish/detail/slow_part.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace glenhaze::detail {

int flickerReach(double fps) {
  return std::max(2, static_cast<int>(std::lround(kFlickerWindow_s * fps / 2)));
}

std::vector<double> quickPart(const std::vector<double>& path, int reach) {
  const auto count = static_cast<int>(path.size());
  std::vector<double> quick(path.size());
  for (int i = 0; i < count; ++i) {
    double w0 = 0, w1 = 0, w2 = 0, y0 = 0, y1 = 0;
    for (int k = std::max(-reach, -i); k <= std::min(reach, count - 1 - i); ++k) {
      const double w = 1 + std::cos(std::numbers::pi * k / (reach + 1));
      const double y = path[static_cast<size_t>(i + k)];
      w0 += w, w1 += w * k, w2 += w * k * k, y0 += w * y, y1 += w * k * y;
    }
    const double det = w0 * w2 - w1 * w1;
    const double slow = det > 1e-9 ? (w2 * y0 - w1 * y1) / det : path[static_cast<size_t>(i)];
    quick[static_cast<size_t>(i)] = path[static_cast<size_t>(i)] - slow;
  }
  return quick;
}

double rmsOf(const std::vector<double>& values) {
  double sum = 0;
  for (const double v : values) sum += v * v;
  return values.empty() ? 0 : std::sqrt(sum / static_cast<double>(values.size()));
}

double rhythmOf(const std::vector<double>& values, double fps) {
  const auto n = static_cast<int>(std::min<size_t>(values.size(), 1024));
  double all = 0, best = 0, rate = 0;
  for (int f = 1; f <= n / 2; ++f) {
    double re = 0, im = 0;
    for (int i = 0; i < n; ++i) {
      const double angle = 2 * std::numbers::pi * f * i / n;
      re += values[static_cast<size_t>(i)] * std::cos(angle);
      im += values[static_cast<size_t>(i)] * std::sin(angle);
    }
    const double power = re * re + im * im;
    all += power;
    if (power > best) best = power, rate = f * fps / n;
  }
  return best > 0.25 * all ? rate : 0;
}

}  // namespace glenhaze::detail
