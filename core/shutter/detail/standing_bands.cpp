#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/base/parallel.h"
#include "core/shutter/detail/bands.h"

namespace glenhaze::detail {

namespace {

constexpr double kFewestBands = 0.45;  // over the picture; fewer cannot be told from a slope
constexpr int kTries = 600;
constexpr double kTurn = 2 * std::numbers::pi;

// Brightness → swing around 1, each frame's own slow course taken out, since the mean over
// time holds the bands too. A parabola by least squares on orthogonal polynomials over −1..1.
void takeCourseOut(Bands& bands) {
  const size_t n = bands.bins;
  for (auto& s : bands.series) {
    std::array<double, 3> c{};
    std::array<double, 3> norm{};
    const auto polynomials = [n](size_t i) {
      const double u = 2 * static_cast<double>(i) / static_cast<double>(n - 1) - 1;
      return std::array<double, 3>{1, u, 1.5 * u * u - 0.5};
    };
    for (size_t i = 0; i < n; ++i) {
      const auto p = polynomials(i);
      for (size_t k = 0; k < 3; ++k) {
        c[k] += p[k] * s[i];
        norm[k] += p[k] * p[k];
      }
    }
    for (size_t i = 0; i < n; ++i) {
      const auto p = polynomials(i);
      const double slow = c[0] / norm[0] + p[1] * c[1] / norm[1] + p[2] * c[2] / norm[2];
      s[i] = slow > 1 ? s[i] / slow - 1 : 0;
    }
  }
}

// The sine of `count` bands over the series, fitted with a constant: amplitude as a − ib, and the share of
// the series' variance that it explains.
struct Sine {
  std::complex<double> amplitude;
  double explained = 0, variance = 0;
};

Sine fitSine(const std::vector<double>& s, double count) {
  const size_t n = s.size();
  const double step = kTurn * count / static_cast<double>(n - 1);
  double c = 0, d = 0, cc = 0, dd = 0, cd = 0, y = 0, yc = 0, yd = 0, yy = 0;
  std::complex<double> at(1, 0);
  const std::complex<double> turn = std::polar(1.0, step);
  for (size_t i = 0; i < n; ++i, at *= turn) {
    const double u = at.real(), v = at.imag();
    c += u;
    d += v;
    cc += u * u;
    dd += v * v;
    cd += u * v;
    y += s[i];
    yc += s[i] * u;
    yd += s[i] * v;
    yy += s[i] * s[i];
  }
  const auto count_d = static_cast<double>(n);
  cc -= c * c / count_d;
  dd -= d * d / count_d;
  cd -= c * d / count_d;
  yc -= y * c / count_d;
  yd -= y * d / count_d;
  yy -= y * y / count_d;
  const double det = cc * dd - cd * cd;
  Sine fit;
  fit.variance = std::max(0.0, yy);
  if (det < 1e-9 * count_d * count_d) return fit;
  const double a = (yc * dd - yd * cd) / det, b = (yd * cc - yc * cd) / det;
  fit.amplitude = {a, -b};
  fit.explained = a * yc + b * yd;
  return fit;
}

// Share of all variance that sines of `count` bands explain; frames in [skip, skip_end) are left out.
double explainedBy(const Bands& bands, double count, size_t skip = 0, size_t skip_end = 0) {
  double explained = 0, variance = 0;
  for (size_t n = 0; n < bands.series.size(); ++n) {
    if (n >= skip && n < skip_end) continue;
    const Sine fit = fitSine(bands.series[n], count);
    explained += fit.explained;
    variance += fit.variance;
  }
  return variance > 0 ? explained / variance : 0;
}

double bestCount(const Bands& bands, double low, double high, size_t skip = 0, size_t skip_end = 0) {
  return topOf([&](double count) { return explainedBy(bands, count, skip, skip_end); }, low, high);
}

}  // namespace

StandingBands readStanding(Bands bands, double most) {
  takeCourseOut(bands);
  StandingBands found;
  found.plot.resize(kTries + 1);
  parallelBlocks(kTries + 1, 16, [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const double count = kFewestBands + (most - kFewestBands) * i / kTries;
      found.plot[static_cast<size_t>(i)] = {count, explainedBy(bands, count)};
    }
  });
  const auto best = std::max_element(found.plot.begin(), found.plot.end(),
                                     [](const auto& a, const auto& b) { return a.second < b.second; });
  const double step = (most - kFewestBands) / kTries;
  const double low = std::max(0.3, best->first - 2 * step), high = best->first + 2 * step;
  found.count = bestCount(bands, low, high);
  found.explained = explainedBy(bands, found.count);
  // Jackknife over stretches of frames.
  constexpr size_t kParts = 8;
  const size_t frames = bands.series.size();
  std::array<double, kParts> without{};
  parallelBlocks(kParts, 1, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      const auto p = static_cast<size_t>(k);
      without[p] = bestCount(bands, low, high, p * frames / kParts, (p + 1) * frames / kParts);
    }
  });
  double mean = 0, sum = 0;
  for (const double w : without) mean += w / kParts;
  for (const double w : without) sum += (w - mean) * (w - mean);
  found.spread = std::sqrt(sum * (kParts - 1) / kParts);
  for (const auto& s : bands.series) {
    const Sine fit = fitSine(s, found.count);
    found.power += found.explained * fit.variance / static_cast<double>(bands.bins);
    found.depth += std::abs(fit.amplitude) / static_cast<double>(frames);
  }
  return found;
}

}  // namespace glenhaze::detail
