#include "core/noise/coloured.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>

namespace glenhaze {

namespace {

using Shares = std::array<double, 3>;

// A place's variance over a grey's, and what each primary alone would make of it.
struct Row {
  Shares alone{};
  double seen = 0, weight = 0;
};

std::vector<Row> rowsOf(std::span<const NoisePoint> points, size_t channel, const NoiseCurve& curve) {
  constexpr double kUneven = 0.05;  // what a place's variance is off any model, as a share of itself
  std::vector<Row> rows;
  for (const NoisePoint& p : points) {
    const double grey = curve.sigmaAt(static_cast<int>(channel), p.level);
    if (p.weight[channel] <= 0 || grey <= 0 || p.primaries == NoisePoint{}.primaries) continue;
    Row row;
    for (size_t k = 0; k < 3; ++k)
      row.alone[k] =
          std::pow(curve.sigmaAt(static_cast<int>(channel), static_cast<double>(p.primaries[k])) / grey, 2);
    row.seen = p.variance[channel] / (grey * grey);
    const double expected = (row.alone[0] + row.alone[1] + row.alone[2]) / 3;
    // The variance of n samples scatters by √(2/n) of itself.
    row.weight = 1 / (expected * expected * (2 / p.weight[channel] + kUneven * kUneven));
    rows.push_back(row);
  }
  return rows;
}

// Weighted least squares of shares that are none below zero and sum to one: mass is moved between two of them
// at a time, each move the best there is.
Shares solveShares(const std::vector<Row>& rows) {
  constexpr int kRounds = 100;
  Shares q{1.0 / 3, 1.0 / 3, 1.0 / 3};
  for (int round = 0; round < kRounds; ++round)
    for (const auto& [from, to] : {std::pair<size_t, size_t>{0, 1}, {1, 2}, {2, 0}}) {
      double slope = 0, bend = 0;
      for (const Row& r : rows) {
        const double left = r.seen - q[0] * r.alone[0] - q[1] * r.alone[1] - q[2] * r.alone[2],
                     moved = r.alone[to] - r.alone[from];
        slope += r.weight * moved * left;
        bend += r.weight * moved * moved;
      }
      if (bend <= 0) continue;
      const double mass = std::clamp(slope / bend, -q[to], q[from]);
      q[from] -= mass;
      q[to] += mass;
    }
  return q;
}

// Whether the colours seen tell the shares apart: how far two of them can be exchanged unseen.
bool toldApart(const std::vector<Row>& rows) {
  constexpr double kUnsure = 0.1;  // of the whole
  for (const auto& [a, b] : {std::pair<size_t, size_t>{0, 1}, {1, 2}, {2, 0}}) {
    double information = 0;
    for (const Row& r : rows) information += r.weight * std::pow(r.alone[a] - r.alone[b], 2);
    if (information < 1 / (kUnsure * kUnsure)) return false;
  }
  return true;
}

}  // namespace

double colourRatioAt(const NoisePoint& point, int channel, const NoiseCurve& curve) {
  return point.primaries == NoisePoint{}.primaries ? 1
                                                   : curve.colourRatio(channel, point.level, point.primaries);
}

std::vector<NoisePoint> asGreys(std::span<const NoisePoint> points, const NoiseCurve& curve) {
  std::vector<NoisePoint> greys(points.begin(), points.end());
  for (NoisePoint& p : greys)
    for (size_t c = 0; c < kNoiseChannels; ++c)
      p.variance[c] /= std::max(1e-3, colourRatioAt(p, static_cast<int>(c), curve));
  return greys;
}

NoiseCurve curveOfGreys(std::span<const NoisePoint> points,
                        const std::function<NoiseCurve(std::span<const NoisePoint>)>& draw) {
  constexpr int kRounds = 4;
  NoiseCurve curve = draw(points);
  for (int round = 0; round < kRounds; ++round) {
    auto primaries = curve.primaries;
    for (size_t c = 0; c < kNoiseChannels; ++c) {
      const std::vector<Row> rows = rowsOf(points, c, curve);
      primaries[c] = toldApart(rows) ? solveShares(rows) : Shares{};
    }
    curve.primaries = primaries;
    curve = draw(asGreys(points, curve));
    curve.primaries = primaries;
  }
  return curve;
}

}  // namespace glenhaze
