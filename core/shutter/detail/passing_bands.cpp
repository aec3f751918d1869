#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/base/parallel.h"
#include "core/shutter/detail/bands.h"

namespace glenhaze::detail {

namespace {

constexpr double kTurn = 2 * std::numbers::pi;
constexpr double kDrift = 0.003;  // share by which mains frequency and a camera's clock are off together

}  // namespace

PassingBands::PassingBands(const Bands& bands, const std::vector<double>& times)
    : times_(times), bins_(bands.bins) {
  brightness_.reserve(bands.series.size() * bins_);
  for (const auto& s : bands.series)
    for (size_t i = 0; i < bins_; ++i) brightness_.push_back(std::max(1.0, s[i]));
}

PassingBands::Fit PassingBands::fit(double readout_s, double hz, const Without& without,
                                    size_t stride) const {
  double cc = 0, dd = 0, cd = 0, yc = 0, yd = 0, yy = 0, whole = 0;
  const size_t frames = times_.size();
  std::vector<std::complex<double>> moments(frames);
  for (size_t n = 0; n < frames; ++n) moments[n] = std::polar(1.0, kTurn * hz * times_[n]);
  for (size_t i = 0; i < bins_; i += stride) {
    if (i >= without.first_row && i < without.end_row) continue;
    const double x = static_cast<double>(i) / static_cast<double>(bins_ - 1) - 0.5;
    const std::complex<double> at = std::polar(1.0, kTurn * hz * readout_s * x);
    std::complex<double> mean = 0;
    double count = 0, whole_row = 0;
    for (size_t n = 0; n < frames; ++n) {
      if (n >= without.first_frame && n < without.end_frame) continue;
      mean += moments[n];
      whole_row += brightness_[n * bins_ + i];
      count += 1;
    }
    mean /= count;
    const double per_mean = count / whole_row;
    for (size_t n = 0; n < frames; ++n) {
      if (n >= without.first_frame && n < without.end_frame) continue;
      const double share = brightness_[n * bins_ + i] * per_mean, y = share - 1;
      const std::complex<double> w = at * (moments[n] - share * mean);
      cc += w.real() * w.real();
      dd += w.imag() * w.imag();
      cd += w.real() * w.imag();
      yc += y * w.real();
      yd += y * w.imag();
      yy += y * y;
      whole += 1;
    }
  }
  Fit f;
  f.told = whole > 0 ? (cc + dd) / whole : 0;
  const double det = cc * dd - cd * cd;
  if (det <= 1e-9 * whole * whole || yy <= 0) return f;
  const double a = (yc * dd - yd * cd) / det, b = (yd * cc - yc * cd) / det;
  f.explained = (a * yc + b * yd) / yy;
  f.depth = std::hypot(a, b);
  // Light is never less than none: near a frequency at which bands would stand, nearly all swing cancels, and
  // a swing beyond all bounds fits as well.
  if (f.depth > 1) f.explained /= f.depth * f.depth;
  f.power = f.explained * yy / whole;
  return f;
}

BandReading readPassing(const PassingBands& light, double flicker_hz, double longest_s, double span_s) {
  constexpr int kReadouts = 150;
  const int drifts = std::clamp(static_cast<int>(std::ceil(kDrift * flicker_hz * span_s / 0.12)), 1, 40);
  const size_t stride = std::max<size_t>(1, light.bins() / 90);
  const auto readoutAt = [&](int r) { return longest_s * r / kReadouts; };
  const auto hzAt = [&](int d) { return flicker_hz * (1 + kDrift * d / drifts); };
  std::vector<double> best(2 * kReadouts + 1), best_hz(best.size());
  parallelBlocks(static_cast<int>(best.size()), 4, [&](int first, int last) {
    for (int k = first; k < last; ++k)
      for (int d = -drifts; d <= drifts; ++d) {
        const double e = light.fit(readoutAt(k - kReadouts), hzAt(d), {}, stride).explained;
        if (e <= best[static_cast<size_t>(k)]) continue;
        best[static_cast<size_t>(k)] = e;
        best_hz[static_cast<size_t>(k)] = hzAt(d);
      }
  });
  const auto top = std::max_element(best.begin(), best.end()) - best.begin();
  BandReading found;
  found.readout_s = readoutAt(static_cast<int>(top) - kReadouts);
  found.hz = best_hz[static_cast<size_t>(top)];
  if (found.hz <= 0) return found;
  const double step = longest_s / kReadouts, drift = flicker_hz * kDrift / drifts;
  for (int round = 0; round < 3; ++round) {
    found.readout_s = topOf([&](double r) { return light.fit(r, found.hz).explained; },
                            found.readout_s - 1.5 * step, found.readout_s + 1.5 * step, 24);
    found.hz = topOf([&](double hz) { return light.fit(found.readout_s, hz).explained; },
                     found.hz - 1.5 * drift, found.hz + 1.5 * drift, 24);
  }
  found.fit = light.fit(found.readout_s, found.hz);
  for (int r = 1; r <= kReadouts; ++r) {
    const double with = best[static_cast<size_t>(kReadouts + r)],
                 against = best[static_cast<size_t>(kReadouts - r)];
    found.plot.emplace_back(readoutAt(r) * flicker_hz, std::max(with, against));
    found.other_way = std::max(found.other_way, found.readout_s > 0 ? against : with);
  }
  return found;
}

double spreadOf(const PassingBands& light, const BandReading& reading, double reach_s) {
  constexpr size_t kParts = 8;
  std::array<double, 2 * kParts> without{};
  parallelBlocks(2 * kParts, 1, [&](int first, int last) {
    for (int k = first; k < last; ++k) {
      const auto p = static_cast<size_t>(k) % kParts;
      Without out;
      if (static_cast<size_t>(k) < kParts) {
        out.first_frame = p * light.frames() / kParts;
        out.end_frame = (p + 1) * light.frames() / kParts;
      } else {
        out.first_row = p * light.bins() / kParts;
        out.end_row = (p + 1) * light.bins() / kParts;
      }
      without[static_cast<size_t>(k)] =
          topOf([&](double r) { return light.fit(r, reading.hz, out).explained; },
                reading.readout_s - reach_s, reading.readout_s + reach_s);
    }
  });
  double squares = 0;
  for (const size_t from : {size_t{0}, kParts}) {
    double mean = 0, sum = 0;
    for (size_t k = from; k < from + kParts; ++k) mean += without[k] / kParts;
    for (size_t k = from; k < from + kParts; ++k) sum += (without[k] - mean) * (without[k] - mean);
    squares += sum * (kParts - 1) / kParts / 2;
  }
  return std::sqrt(squares);
}

}  // namespace glenhaze::detail
