#include "core/shutter/lamp.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

#include "core/base/error.h"
#include "core/media/coding.h"
#include "core/media/reader.h"
#include "core/shutter/detail/bands.h"

namespace glenhaze {

using namespace detail;

namespace {

constexpr int kMostFrames = 120;
constexpr size_t kFewestFrames = 6;
constexpr size_t kBins = 360;  // rows are gathered into this many
constexpr double kTurn = 2 * std::numbers::pi;
constexpr double kLongestShare = 1.1;    // of the frame interval, that is believed of a readout
constexpr double kLeastExplained = 0.3;  // of what changes, by one sine: other lamps and hands change too
constexpr double kLeastDepth = 0.002;    // of the swing, as a share of the light
constexpr double kLeastTold = 0.05;      // of the swing, beyond what all frames have in common
constexpr double kStands_rad = 0.8;      // that bands pass by in the whole clip and still stand
constexpr double kEvenWall = 0.85;       // of a frame's course, by one sine: nothing else is there
constexpr double kStandingShare = 0.03;  // what an even wall's own shading makes of standing bands
constexpr double kClock = 2e-4;          // share by which a camera's clock is off
constexpr double kCodedShare = 6e-4;     // what coding does to bands, of photographs at 0.4 bit a pixel
constexpr double kGlobal_s = 2e-4;       // below which a readout is none

struct Sums {
  Bands rows, columns;
  std::vector<double> times;
};

std::vector<double> gathered(const std::vector<double>& sums, double divisor) {
  const size_t bins = std::min(kBins, sums.size());
  std::vector<double> out(bins), weight(bins);
  for (size_t i = 0; i < sums.size(); ++i) {
    const size_t b = i * bins / sums.size();
    out[b] += sums[i];
    weight[b] += divisor;
  }
  for (size_t b = 0; b < bins; ++b) out[b] /= weight[b];
  return out;
}

void addFrame(const Frame& frame, Sums& sums) {
  const int bytes = frame.format.bytesPerSample();
  const Plane& luma = frame.planes[0];
  std::vector<double> rows(static_cast<size_t>(luma.height)), columns(static_cast<size_t>(luma.width));
  const auto add = [&](const auto* line, int y) {
    double sum = 0;
    for (int x = 0; x < luma.width; ++x) {
      const auto v = static_cast<double>(line[x]);
      sum += v;
      columns[static_cast<size_t>(x)] += v;
    }
    rows[static_cast<size_t>(y)] = sum;
  };
  for (int y = 0; y < luma.height; ++y) {
    if (bytes == 1)
      add(luma.row<uint8_t>(y), y);
    else
      add(luma.row<uint16_t>(y), y);
  }
  sums.rows.series.push_back(gathered(rows, luma.width));
  sums.columns.series.push_back(gathered(columns, luma.height));
}

double wrapped(double angle) { return std::remainder(angle, kTurn); }

// The whole picture swings as one: nothing of a readout can be seen.
ShutterFinding globalFinding(double flicker_hz, size_t frames) {
  ShutterFinding f;
  f.shutter = {0, ScanDirection::Unknown};
  f.uncertainty_s = 0.15 / flicker_hz;  // a seventh of a band would still show
  f.frames = static_cast<int>(frames);
  f.global = true;
  f.warnings.emplace_back(
      "The whole picture flickers at once: a global shutter, or a readout far shorter than "
      "one swing of the lamp.");
  return f;
}

Sums readSums(const ClipInfo& clip, const Progress& progress) {
  Sums sums;
  ClipReader reader(clip);
  while (sums.times.size() < kMostFrames) {
    progress.check();
    const auto frame = reader.next();
    if (!frame) break;
    addFrame(*frame, sums);
    sums.times.push_back(static_cast<double>(frame->pts - clip.start_pts) * clip.time_base.value());
    progress.update(0.7 * static_cast<double>(sums.times.size()) / kMostFrames);
  }
  for (Bands* bands : {&sums.rows, &sums.columns})
    if (!bands->series.empty()) bands->bins = bands->series.front().size();
  return sums;
}

// Bands that stand still cannot be told from what stands still in the scene, unless the wall is even: then
// they are all that there is to see.
ShutterFinding measureStanding(const ClipInfo& clip, const Sums& sums, double flicker_hz, double interval,
                               const PassingBands::Fit& passing) {
  const double most = std::max(2.0, kLongestShare * interval * flicker_hz);
  const StandingBands rows = readStanding(sums.rows, most), columns = readStanding(sums.columns, most);
  const StandingBands& found = rows.power >= columns.power ? rows : columns;
  const bool stands =
      std::abs(wrapped(kTurn * flicker_hz * interval)) * static_cast<double>(sums.times.size()) < kStands_rad;
  if (!stands || found.explained < kEvenWall || found.depth < kLeastDepth) {
    const std::string why =
        stands ? "at this frame rate its bands would stand still, which takes an even wall"
        : passing.explained >= kLeastExplained && passing.depth >= kLeastDepth
            ? "at this frame rate its bands hardly pass by: film longer, or at another rate"
            : std::to_string(std::lround(100 * passing.explained)) + " % of the changes fit one";
    throw Error(ErrorKind::Evidence, "No bands of a flickering lamp can be seen", clip.path.string(), why,
                "Film what one lamp on mains lights, the camera standing, with a short exposure");
  }
  ShutterFinding f;
  f.shutter = {found.count / flicker_hz, ScanDirection::Unknown};
  f.uncertainty_s = std::hypot(found.spread / flicker_hz, kStandingShare * f.shutter.readout_s);
  f.share_of_frame = f.shutter.readout_s / interval;
  f.frames = static_cast<int>(sums.times.size());
  f.kind = ShutterPlot::Bands;
  f.plot = found.plot;
  f.residual = 1 - found.explained;
  f.warnings.emplace_back(
      "The direction cannot be told: the bands come back to the same places from frame to frame.");
  for (const std::string& odd : plausibilityOf(f.shutter, interval)) f.warnings.push_back(odd);
  return f;
}

}  // namespace

ShutterFinding measureLamp(const ClipInfo& clip, double flicker_hz, const Progress& progress) {
  if (!(flicker_hz >= 10 && flicker_hz <= 2000))
    throw Error(ErrorKind::BadRequest, "The lamp's frequency is not usable", clip.path.string(),
                std::to_string(flicker_hz) + " Hz",
                "Lamps flicker at twice the mains frequency: 100 or 120 Hz");
  Sums sums = readSums(clip, progress);
  if (sums.times.size() < kFewestFrames)
    throw Error(ErrorKind::Evidence, "The clip is too short to measure the readout", clip.path.string(),
                std::to_string(sums.times.size()) + " frames", "Film the lamp for at least a second");
  const double interval =
      (sums.times.back() - sums.times.front()) / static_cast<double>(sums.times.size() - 1);
  const double span = sums.times.back() - sums.times.front();
  const PassingBands by_rows(sums.rows, sums.times), by_columns(sums.columns, sums.times);
  const double longest = kLongestShare * interval;
  const BandReading rows = readPassing(by_rows, flicker_hz, longest, span),
                    columns = readPassing(by_columns, flicker_hz, longest, span);
  progress.update(0.9);
  // Along the rows bands are averaged away; what is left there says little, if well explained.
  const bool vertical = rows.fit.power >= columns.fit.power;
  const PassingBands& light = vertical ? by_rows : by_columns;
  const BandReading& found = vertical ? rows : columns;
  if (found.fit.explained < kLeastExplained || found.fit.depth < kLeastDepth || found.fit.told < kLeastTold)
    return measureStanding(clip, sums, flicker_hz, interval, found.fit);
  ShutterFinding f;
  f.frames = static_cast<int>(sums.times.size());
  f.kind = ShutterPlot::Bands;
  f.plot = found.plot;
  f.residual = 1 - found.fit.explained;
  f.shutter.readout_s = std::abs(found.readout_s);
  f.uncertainty_s = std::hypot(spreadOf(light, found, longest / 50), kClock * f.shutter.readout_s);
  if (codingOf(clip, Progress{{}, progress.stop}).predicts)
    f.uncertainty_s = std::hypot(f.uncertainty_s, kCodedShare * f.shutter.readout_s);
  f.share_of_frame = f.shutter.readout_s / interval;
  progress.update(1);
  if (f.shutter.readout_s < 3 * f.uncertainty_s || f.shutter.readout_s < kGlobal_s) {
    // Light that all rows see at once may be no lamp at all, where the lamp's bands would stand, or pass by
    // so slowly that what a coder makes of them is as large.
    if (light.fit(0, flicker_hz).told < kLeastTold ||
        std::abs(wrapped(kTurn * flicker_hz * interval)) * static_cast<double>(sums.times.size()) < kTurn)
      return measureStanding(clip, sums, flicker_hz, interval, found.fit);
    ShutterFinding global = globalFinding(flicker_hz, sums.times.size());
    global.uncertainty_s = std::max(f.uncertainty_s, kGlobal_s);
    return global;
  }
  // Two ways that explain as much cannot be told apart: the bands come back, or swap, from frame to frame.
  if (found.other_way > 0.97 * found.fit.explained)
    f.warnings.emplace_back(
        "The direction cannot be told: the bands come back to the same places from frame to frame.");
  else if (vertical)
    f.shutter.direction = found.readout_s > 0 ? ScanDirection::Down : ScanDirection::Up;
  else
    f.shutter.direction = found.readout_s > 0 ? ScanDirection::Right : ScanDirection::Left;
  for (const std::string& odd : plausibilityOf(f.shutter, interval)) f.warnings.push_back(odd);
  return f;
}

}  // namespace glenhaze
