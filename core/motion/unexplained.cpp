#include "core/motion/unexplained.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <numeric>
#include <optional>
#include <vector>

#include "core/base/parallel.h"
#include "core/base/statistics.h"
#include "core/motion/detail/pair_rays.h"
#include "core/motion/detail/path_solver.h"
#include "core/motion/detail/turn_table.h"
#include "core/motion/detail/whittaker.h"

namespace glenhaze {

using namespace detail;

namespace {

constexpr int kColumns = 4, kRows = 3;
constexpr size_t kParts = kColumns * kRows;
constexpr size_t kFewest = 2;  // places of a half, in a part
constexpr double kShake_hz = 1;
constexpr double kDrift_deg_per_s = 1;  // what walks past at ten metres does eight
constexpr double kDrift_s = 0.5;        // over which a drift is looked at
constexpr double kDegrees = 180 / std::numbers::pi;

// How far each part of the picture moved from the frame before beyond what the path says, rad.
struct PartStep {
  std::array<Point, 2> halves;
  bool known = false;
};
using FrameSteps = std::array<PartStep, kParts>;

size_t partOf(const TrackPair& p, int width, int height) {
  const auto in = [](float at, int size, int count) {
    return std::clamp(static_cast<int>(static_cast<double>(at) * count / size), 0, count - 1);
  };
  return static_cast<size_t>(in(p.to_y, height, kRows) * kColumns + in(p.to_x, width, kColumns));
}

FrameSteps stepsOf(const TrackRecord& record, size_t i, const LensMap& map, const RowTimes& rows,
                   const CameraPath& path) {
  std::array<std::array<std::vector<double>, 4>, kParts> moved;  // x and y of each half
  std::array<size_t, kParts> count{};
  const PathFrame &before = path.frames()[i - 1], &now = path.frames()[i];
  const Quaternion to_now = inverse(now.orientation) * before.orientation;
  const TurnTable turn_before = turnsSince(path, i - 1, rows), turn_now = turnsSince(path, i, rows);
  for (const TrackPair& p : record.frames[i].pairs.read()) {
    const Point from{p.from_x, p.from_y}, to{p.to_x, p.to_y};
    const auto a = map.pixelToRay(from), b = map.pixelToRay(to);
    if (!a || !b) continue;
    const Ray was = to_now * (turn_before.at(rows.at(from)) * withoutShift(*a, before)),
              is = turn_now.at(rows.at(to)) * withoutShift(*b, now);
    const size_t part = partOf(p, record.width, record.height), half = count[part]++ % 2;
    moved[part][2 * half].push_back(is.x - was.x);
    moved[part][2 * half + 1].push_back(is.y - was.y);
  }
  FrameSteps steps;
  for (size_t part = 0; part < kParts; ++part) {
    if (moved[part][2].size() < kFewest) continue;
    for (size_t half = 0; half < 2; ++half)
      steps[part].halves[half] = {medianOf(moved[part][2 * half]), medianOf(moved[part][2 * half + 1])};
    steps[part].known = true;
  }
  return steps;
}

// Faster than 1 Hz, of one axis of one half of a part.
std::vector<double> fastPart(const std::vector<double>& series, double lambda) {
  const std::vector<double> ones(series.size(), 1.0);
  const std::vector<double> slow = smoothed(series, ones, lambda);
  std::vector<double> fast(series.size());
  for (size_t i = 0; i < series.size(); ++i) fast[i] = series[i] - slow[i];
  return fast;
}

// Mean square of what a part's halves have in common, rad².
double commonShake(const std::vector<FrameSteps>& steps, size_t part, double lambda) {
  double sum = 0, count = 0;
  for (const bool vertical : {false, true}) {
    std::array<std::vector<double>, 2> fast;
    for (size_t half = 0; half < 2; ++half) {
      std::vector<double> along{0};
      for (size_t i = 1; i < steps.size(); ++i) {
        const Point& step = steps[i][part].halves[half];
        along.push_back(along.back() + (vertical ? step.y : step.x));
      }
      fast[half] = fastPart(along, lambda);
    }
    for (size_t i = 1; i < steps.size(); ++i) {
      if (!steps[i][part].known) continue;
      sum += fast[0][i] * fast[1][i];
      count += vertical ? 0 : 1;
    }
  }
  return count > 0 ? std::max(0.0, sum / count) : 0;
}

double presence(const std::vector<FrameSteps>& steps, size_t part) {
  double known = 0;
  for (const FrameSteps& s : steps) known += s[part].known ? 1 : 0;
  return known / static_cast<double>(steps.size());
}

// How fast a part drifts over a stretch of time, degrees per second; empty where it is hardly seen.
std::optional<double> driftOf(const std::vector<FrameSteps>& steps, size_t part, size_t first, size_t stretch,
                              double fps) {
  std::array<Point, 2> way;
  double known = 0;
  for (size_t i = first; i < first + stretch; ++i)
    if (steps[i][part].known) {
      for (size_t half = 0; half < 2; ++half) way[half] = way[half] + steps[i][part].halves[half];
      ++known;
    }
  if (known < static_cast<double>(stretch) / 2) return std::nullopt;
  return std::sqrt(std::max(0.0, dot(way[0], way[1]))) * kDegrees * fps / known;
}

// Of all parts over stretches of time. What drifts is taken out of `standing`.
std::vector<double> driftsOf(const std::vector<FrameSteps>& steps, double fps,
                             std::vector<FrameSteps>& standing) {
  const auto stretch = std::max<size_t>(2, static_cast<size_t>(std::lround(kDrift_s * fps)));
  std::vector<double> drifts;
  for (size_t part = 0; part < kParts; ++part)
    for (size_t first = 1; first + stretch <= steps.size(); first += stretch)
      if (const auto drift = driftOf(steps, part, first, stretch, fps)) {
        drifts.push_back(*drift);
        if (*drift > kDrift_deg_per_s)
          for (size_t i = first; i < first + stretch; ++i) standing[i][part] = {};
      }
  return drifts;
}

// RMS of the steadier ones of the parts.
double shakeOf(const std::vector<FrameSteps>& steps, double steadier, double fps) {
  constexpr double kSeen = 0.4;  // of the frames
  const double lambda = lambdaOf(1 / (2 * std::numbers::pi * kShake_hz), fps);
  std::vector<double> shakes;
  for (size_t part = 0; part < kParts; ++part)
    if (presence(steps, part) > kSeen) shakes.push_back(commonShake(steps, part, lambda));
  if (shakes.empty()) return 0;
  std::sort(shakes.begin(), shakes.end());
  const auto count = std::ceil(steadier * static_cast<double>(shakes.size()));
  const double sum = std::accumulate(shakes.begin(), shakes.begin() + static_cast<ptrdiff_t>(count), 0.0);
  return std::sqrt(sum / std::max(1.0, count)) * kDegrees;
}

}  // namespace

UnexplainedMotion unexplainedMotion(const TrackRecord& record, const Lens& lens, const Shutter& shutter,
                                    const CameraPath& path, double steadier) {
  UnexplainedMotion found;
  const size_t n = record.frames.size();
  if (n < 4 || path.frames().size() != n) return found;
  const LensMap map(lens);
  const RowTimes rows(shutter, lens.width, lens.height);
  std::vector<FrameSteps> steps(n);
  parallelBlocks(static_cast<int>(n), 16, [&](int first, int last) {
    for (int i = std::max(1, first); i < last; ++i)
      if (!record.frames[static_cast<size_t>(i)].cut)
        steps[static_cast<size_t>(i)] = stepsOf(record, static_cast<size_t>(i), map, rows, path);
  });
  const double fps =
      static_cast<double>(n - 1) / std::max(1e-6, path.frames().back().time_s - path.frames().front().time_s);
  std::vector<FrameSteps> standing = steps;
  const std::vector<double> drifts = driftsOf(steps, fps, standing);
  found.shake_deg = shakeOf(standing, steadier, fps);
  found.any_shake_deg = shakeOf(steps, steadier, fps);
  std::vector<double> moving;
  std::copy_if(drifts.begin(), drifts.end(), std::back_inserter(moving),
               [](double d) { return d > kDrift_deg_per_s; });
  if (!drifts.empty())
    found.moving_share = static_cast<double>(moving.size()) / static_cast<double>(drifts.size());
  found.drift_deg_per_s = medianOf(std::move(moving));
  return found;
}

}  // namespace glenhaze
