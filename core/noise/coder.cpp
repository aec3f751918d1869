#include "core/noise/coder.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

#include "core/base/numbers.h"
#include "core/media/coding.h"
#include "core/noise/measure.h"

namespace glenhaze {

namespace {

constexpr double kFinest = 6;  // deviations in steps, beyond which a coder takes next to nothing

double below(double x) { return 0.5 * std::erfc(-x / std::numbers::sqrt2); }

// Variance that is left of noise of deviation `r` when it is rounded to the next step; all in steps.
double roundedAnew(double r) {
  double sum = 0;
  for (int k = 1; k <= static_cast<int>(8 * r) + 2; ++k)
    sum += 2 * k * k * (below((k + 0.5) / r) - below((k - 0.5) / r));
  return std::min(sum, r * r);
}

// The same where what is rounded is the difference to the last picture as it was coded, and a difference of
// less than five sixths of a step is none. What is coded is a chain of whole numbers: its lasting
// distribution.
double roundedAsDifference(double r) {
  constexpr double kDead = 5.0 / 6;
  const int reach = static_cast<int>(5 * r) + 2, count = 2 * reach + 1;
  std::vector<double> share(static_cast<size_t>(count), 0.0), next;
  share[static_cast<size_t>(reach)] = 1;
  // P(the next is `to`, after `from`): above it, differences reach from to − from − 1 + kDead.
  const auto step = [&](int from, int to) {
    const int d = to - from;
    const auto upTo = [&](double difference) { return below((from + difference) / r); };
    if (d == 0) return upTo(kDead) - upTo(-kDead);
    return d > 0 ? upTo(d + kDead) - upTo(d - 1 + kDead) : upTo(d + 1 - kDead) - upTo(d - kDead);
  };
  std::vector<double> chance(static_cast<size_t>(count * count));
  for (int i = 0; i < count; ++i)
    for (int j = 0; j < count; ++j) chance[static_cast<size_t>(i * count + j)] = step(i - reach, j - reach);
  // It forgets where it began within a few steps: what was kept of one picture is rarely kept of the next.
  constexpr int kRounds = 60;
  for (int round = 0; round < kRounds; ++round) {
    next.assign(share.size(), 0.0);
    for (int i = 0; i < count; ++i)
      for (int j = 0; j < count; ++j)
        next[static_cast<size_t>(j)] +=
            share[static_cast<size_t>(i)] * chance[static_cast<size_t>(i * count + j)];
    share.swap(next);
  }
  double sum = 0;
  for (int i = 0; i < count; ++i) sum += share[static_cast<size_t>(i)] * (i - reach) * (i - reach);
  return std::min(sum, r * r);
}

// The variance that must have been there for `left` to be left.
template <typename F>
double original(double left, F rounded) {
  double low = std::sqrt(left), high = kFinest;
  if (rounded(high) < left) return left;
  for (int i = 0; i < 40; ++i) {
    const double middle = (low + high) / 2;
    (rounded(middle) < left ? low : high) = middle;
  }
  return high * high;
}

}  // namespace

TakenByCoder takenByCoder(double left, double step) {
  const double variance = (left / step) * (left / step);
  if (variance <= 0) return {0, 1};
  const double a = 1 - variance / original(variance, roundedAnew),
               b = 1 - variance / original(variance, roundedAsDifference);
  return {std::clamp(std::min(a, b), 0.0, 1.0), std::clamp(std::max(a, b), 0.0, 1.0)};
}

void sayCoding(NoiseFinding& finding, std::span<const ClipInfo> shots, const Progress& progress) {
  double step = 0;
  for (const ClipInfo& shot : shots) step = std::max(step, codingOf(shot, progress).step.value_or(0));
  double sum = 0, weight = 0;
  for (const NoisePoint& p : finding.points) {
    sum += p.weight[0] * p.variance[0];
    weight += p.weight[0];
  }
  if (!(step > 0) || !(weight > 0)) return;
  const double left = std::sqrt(sum / weight);
  finding.coding = NoiseCoding{step, takenByCoder(left, step)};
  const TakenByCoder& taken = finding.coding->taken;
  constexpr double kMuch = 0.3;
  if (taken.most < kMuch) return;
  const std::string most = fixedText(100 * taken.most, 0) + " %", least = fixedText(100 * taken.least, 0);
  finding.warnings.push_back("Coding took " +
                             (taken.most - taken.least < 0.02 ? most : least + " to " + most) +
                             " of the noise. The curve fits clips of about this bit rate.");
}

}  // namespace glenhaze
