#pragma once
// How steady a finished film is, as anybody could measure it: neighbouring frames are brought together by
// the best similarity (shift, turn, scale) of what can be tracked, which knows neither lens nor shutter.

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <vector>

#include "core/motion/detail/whittaker.h"
#include "core/motion/tracks.h"

namespace glenhaze::testing {

struct Steadiness {
  double shake_px = 0;     ///< RMS of the middle's way faster than 1 Hz
  double roll_deg = 0;     ///< RMS of the turn faster than 1 Hz
  double wobble_px = 0;    ///< RMS of what the similarities leave between neighbouring frames, better 70 %
  double farthest_px = 0;  ///< RMS distance of the middle from its mean: for films that should hold still
};

namespace detail {

/// z ↦ a·z + b about the picture's middle, as (Re a, Im a, Re b, Im b): least squares on the better part.
struct Similarity {
  double re = 1, im = 0, x = 0, y = 0, rms = 0;
};

inline Similarity similarityOf(const FrameTracks& frame, Point middle) {
  std::vector<std::array<double, 4>> all;
  for (const TrackPair& p : frame.pairs.read())
    all.push_back({p.from_x - middle.x, p.from_y - middle.y, p.to_x - middle.x, p.to_y - middle.y});
  Similarity s;
  std::vector<std::pair<double, size_t>> errors(all.size());
  if (all.size() < 8) return s;
  std::vector<double> dx, dy;
  for (const auto& [fx, fy, tx, ty] : all) {
    dx.push_back(tx - fx);
    dy.push_back(ty - fy);
  }
  std::nth_element(dx.begin(), dx.begin() + dx.size() / 2, dx.end());
  std::nth_element(dy.begin(), dy.begin() + dy.size() / 2, dy.end());
  s.x = dx[dx.size() / 2];
  s.y = dy[dy.size() / 2];
  for (int round = 0; round < 12; ++round) {
    for (size_t i = 0; i < all.size(); ++i) {
      const auto& [fx, fy, tx, ty] = all[i];
      errors[i] = {std::hypot(s.re * fx - s.im * fy + s.x - tx, s.im * fx + s.re * fy + s.y - ty), i};
    }
    std::sort(errors.begin(), errors.end());
    const size_t n = all.size() * 7 / 10;
    double mx = 0, my = 0, ux = 0, uy = 0;
    for (size_t k = 0; k < n; ++k) {
      const auto& [fx, fy, tx, ty] = all[errors[k].second];
      mx += fx / n;
      my += fy / n;
      ux += tx / n;
      uy += ty / n;
    }
    double dot = 0, cross = 0, norm = 0, sum = 0;
    for (size_t k = 0; k < n; ++k) {
      const auto& [fx, fy, tx, ty] = all[errors[k].second];
      dot += (fx - mx) * (tx - ux) + (fy - my) * (ty - uy);
      cross += (fx - mx) * (ty - uy) - (fy - my) * (tx - ux);
      norm += (fx - mx) * (fx - mx) + (fy - my) * (fy - my);
      sum += errors[k].first * errors[k].first;
    }
    s.re = dot / norm;
    s.im = cross / norm;
    s.x = ux - s.re * mx + s.im * my;
    s.y = uy - s.im * mx - s.re * my;
    s.rms = std::sqrt(sum / n);
  }
  return s;
}

inline double fastRms(const std::vector<double>& series, double fps) {
  const std::vector<double> ones(series.size(), 1.0);
  const auto slow =
      glenhaze::detail::smoothed(series, ones, glenhaze::detail::lambdaOf(1 / (2 * std::numbers::pi), fps));
  double sum = 0;
  for (size_t i = 0; i < series.size(); ++i) sum += std::pow(series[i] - slow[i], 2);
  return std::sqrt(sum / series.size());
}

}  // namespace detail

inline Steadiness steadinessOf(const TrackRecord& record, double fps) {
  const Point middle{(record.width - 1) / 2.0, (record.height - 1) / 2.0};
  std::vector<double> xs{0}, ys{0}, turns{0};
  double wobble = 0;
  for (size_t i = 1; i < record.frames.size(); ++i) {
    const detail::Similarity s = detail::similarityOf(record.frames[i], middle);
    xs.push_back(xs.back() + s.x);
    ys.push_back(ys.back() + s.y);
    turns.push_back(turns.back() + std::atan2(s.im, s.re) * 180 / std::numbers::pi);
    wobble += s.rms * s.rms;
  }
  Steadiness result;
  const auto n = static_cast<double>(xs.size());
  result.shake_px = std::hypot(detail::fastRms(xs, fps), detail::fastRms(ys, fps));
  result.roll_deg = detail::fastRms(turns, fps);
  result.wobble_px = std::sqrt(wobble / std::max(1.0, n - 1));
  double mx = 0, my = 0;
  for (size_t i = 0; i < xs.size(); ++i) {
    mx += xs[i] / n;
    my += ys[i] / n;
  }
  for (size_t i = 0; i < xs.size(); ++i)
    result.farthest_px += (std::pow(xs[i] - mx, 2) + std::pow(ys[i] - my, 2)) / n;
  result.farthest_px = std::sqrt(result.farthest_px);
  return result;
}

}  // namespace glenhaze::testing
