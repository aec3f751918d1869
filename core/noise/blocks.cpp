#include "core/noise/blocks.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <cstdlib>
#include <numbers>
#include <vector>

#include "core/base/parallel.h"

namespace glenhaze {

namespace {

constexpr int kGrid = 8;

// A plane along one direction: `next` from sample to sample across the grid lines, `along` beside them.
template <typename T>
struct Lines {
  const T* data;
  ptrdiff_t next, along;
  int length, count;
};

template <typename T>
Lines<T> linesOf(const Plane& plane, bool across) {
  const T* data = plane.row<T>(0);
  const auto stride = plane.stride / static_cast<ptrdiff_t>(sizeof(T));
  return across ? Lines<T>{data, 1, stride, plane.width, plane.height}
                : Lines<T>{data, stride, 1, plane.height, plane.width};
}

// How much the step before sample i goes beyond what the slopes on both sides foresee.
template <typename T>
int stepBefore(const T* line, ptrdiff_t next, int i) {
  const T* p = line + i * next;
  const int step = p[0] - p[-next];
  return 2 * step - ((p[-next] - p[-2 * next]) + (p[next] - p[0]));  // twice
}

// Mean of the lower three fifths: a coder leaves steps on nearly every line of its grid, things in the
// picture that happen to lie on it only on some.
double meanOfLower(const std::vector<int>& counts) {
  int64_t all = 0, taken = 0;
  for (const int c : counts) all += c;
  double sum = 0;
  for (size_t e = 0; e < counts.size() && taken * 5 < all * 3; ++e) {
    sum += static_cast<double>(e) * counts[e];
    taken += counts[e];
  }
  return taken > 0 ? sum / static_cast<double>(taken) : 0;
}

template <typename T>
GridSteps measured(const Plane& plane, bool across, double gain) {
  const Lines<T> lines = linesOf<T>(plane, across);
  GridSteps steps;
  if (lines.length < 6 * kGrid || lines.count < kGrid) return steps;
  // Large steps are edges; they say nothing about the grid.
  const int most = static_cast<int>(2 * 24 / gain);
  std::array<std::vector<int>, kGrid> seen;  // how often each step, by phase
  for (auto& counts : seen) counts.assign(static_cast<size_t>(most) + 1, 0);
  // Some hundred lines are plenty; an odd number, for fields that differ.
  const int every = std::max(3, lines.count / 240 | 1);
  const auto look = [&](int n, int i) {
    const int e = std::abs(stepBefore(lines.data + n * lines.along, lines.next, i));
    if (e <= most) ++seen[static_cast<size_t>(i % kGrid)][static_cast<size_t>(e)];
  };
  // In the order in which the samples lie in memory.
  if (across) {
    for (int n = 0; n < lines.count; n += every)
      for (int i = 2; i + 1 < lines.length; ++i) look(n, i);
  } else {
    for (int i = 2; i + 1 < lines.length; ++i)
      for (int n = 0; n < lines.count; n += every) look(n, i);
  }
  std::array<double, kGrid> mean{};
  for (size_t k = 0; k < kGrid; ++k) mean[k] = meanOfLower(seen[k]) * gain / 2;
  const auto top = static_cast<size_t>(std::max_element(mean.begin(), mean.end()) - mean.begin());
  std::vector<double> others;
  // A step is a slope to the places on both sides of it, which are therefore no witnesses.
  for (size_t k = 2; k + 1 < kGrid; ++k) others.push_back(mean[(top + k) % kGrid]);
  std::sort(others.begin(), others.end());
  steps.phase = static_cast<int>(top);
  steps.off = others[others.size() / 2];
  const double spread = others.back() - others.front(), excess = mean[top] - steps.off;
  // A grid stands out from all other phases; texture with a period of its own raises more than one.
  if (excess > std::max({0.15, 0.25 * steps.off, 3 * spread})) steps.excess = excess;
  return steps;
}

}  // namespace

double Blockiness::share() const {
  const double on = across[0].excess + down[0].excess, off = across[0].off + down[0].off;
  return off > 0 ? on / off : 0;
}

bool Blockiness::any() const {
  const auto tells = [](const GridSteps& s) { return s.excess > 0; };
  return std::any_of(across.begin(), across.end(), tells) || std::any_of(down.begin(), down.end(), tells);
}

Blockiness measureBlockiness(const Frame& frame) {
  Blockiness found;
  const double gain = 1.0 / (1 << (frame.format.bit_depth - 8));
  const auto measure = frame.format.bytesPerSample() == 1 ? measured<uint8_t> : measured<uint16_t>;
  const auto planes = static_cast<size_t>(frame.format.numPlanes());
  // Both directions of planes from `first` on; a coder's grid has both.
  const auto measureFrom = [&](size_t first, size_t last) {
    parallelBlocks(static_cast<int>(2 * (last - first)), 1, [&](int from, int to) {
      for (int i = from; i < to; ++i) {
        const size_t p = first + static_cast<size_t>(i / 2);
        (i % 2 == 0 ? found.across : found.down)[p] = measure(frame.planes[p], i % 2 == 0, gain);
      }
    });
    for (size_t p = first; p < last; ++p)
      if (found.across[p].excess <= 0 || found.down[p].excess <= 0)
        found.across[p].excess = found.down[p].excess = 0;
  };
  measureFrom(0, 1);
  // Luma has it before chroma does.
  if (found.across[0].excess > 0) measureFrom(1, planes);
  return found;
}

double Blockiness::variance(size_t plane) const {
  double sum = 0;
  for (const GridSteps& s : {across[plane], down[plane]}) {
    // Means of |step| to variances, for normal ones: π/2. Errors on the two sides of a line are independent,
    // and each counts once.
    const double on = s.off + s.excess;
    sum += std::numbers::pi / 2 * (on * on - s.off * s.off) / 2;
  }
  return sum / 2;
}

}  // namespace glenhaze
