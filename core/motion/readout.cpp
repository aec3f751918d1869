#include "core/motion/readout.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/base/statistics.h"
#include "core/motion/detail/path_solver.h"
#include "core/motion/detail/spline_path.h"
#include "core/motion/detail/stretch.h"

namespace glenhaze {

using namespace detail;

namespace {

constexpr size_t kFewestFrames = 12;
constexpr double kTrusted = 3.0;           // standard deviations that a readout must be away from 0
constexpr double kGlobalWithin_s = 0.002;  // three standard deviations below which no readout is none
constexpr double kLongestShare = 1.5;      // of the frame interval, that is believed of a readout
// By what share of the readout coding may pull it towards nothing, at a coarseness of 1 (with its square):
// where pictures are coded from those before and after them, which foretells that things move evenly, and
// where only from those before. And how much more tracks err together than each frame's would say. Found on
// coded photographs (docs/accuracy.md).
constexpr double kPullBetween = 0.14, kPull = 0.06, kCodedSpread = 1.3;
constexpr double kMuchPull = 0.02;  // that is worth a word

ScanDirection directionOf(const Eigen::Vector2d& r, bool vertical) {
  if (vertical) return r.y() > 0 ? ScanDirection::Down : ScanDirection::Up;
  return r.x() > 0 ? ScanDirection::Right : ScanDirection::Left;
}

void warnOf(ShutterFinding& found, const CodingDoubt& doubt, double frame_interval_s) {
  if (doubt.pull > kMuchPull)
    found.warnings.emplace_back(
        "The footage is coded coarsely for what it shows, which makes the readout come out small, by " +
        fixedText(100 * doubt.pull, 0) + " % or so. Film with less noise, more light or a higher bit rate.");
  const std::vector<std::string> odd =
      found.global ? std::vector<std::string>{} : plausibilityOf(found.shutter, frame_interval_s);
  found.warnings.insert(found.warnings.end(), odd.begin(), odd.end());
}

// How badly the tracks fit with other readouts, in ms and px; the last part of `progress`.
std::vector<std::pair<double, double>> disagreementAlong(SplineFit& fit, const Eigen::Vector2d& readout,
                                                         int axis, double frame_interval_s,
                                                         const Progress& progress) {
  constexpr int kPlot = 8;
  const Progress quiet = partOf(progress, 0, 0);
  std::vector<std::pair<double, double>> plot;
  for (int i = -kPlot; i <= kPlot; ++i) {
    Eigen::Vector2d at = readout;
    at(axis) = frame_interval_s * 1.1 * i / kPlot;
    plot.emplace_back(at(axis) * 1000, fit.rmsPxAt(at, quiet));
    progress.update(0.7 + 0.3 * (i + kPlot + 1) / (2 * kPlot + 1));
  }
  return plot;
}

}  // namespace

double CodingDoubt::of(double uncertainty_s, double readout_s) const {
  return std::hypot(spread * uncertainty_s, pull * readout_s);
}

CodingDoubt codingDoubtOf(const TrackRecord& record, const Coding& coding) {
  if (!coding.predicts) return {};
  const double coarseness = coarsenessOf(record, coding);
  return {kCodedSpread, (coding.between ? kPullBetween : kPull) * coarseness * coarseness};
}

ShutterFinding measureReadout(const TrackRecord& record, const Lens& lens, double frame_interval_s,
                              const Coding& coding, const Progress& progress) {
  if (record.width != lens.width || record.height != lens.height)
    throw Error(ErrorKind::BadRequest, "The tracks are of another picture size than the lens", "", "",
                "Choose the profile of this mode");
  const TrackRecord part = stretchWithMost(changesOf(record), record, frame_interval_s);
  const auto usable = std::count_if(part.frames.begin(), part.frames.end(),
                                    [](const FrameTracks& f) { return f.pairs.size() >= 20; });
  if (static_cast<size_t>(usable) < kFewestFrames)
    throw Error(ErrorKind::Evidence, "The readout cannot be told", "",
                "too little can be tracked in this footage", "Use footage with more detail");
  const Progress quiet = partOf(progress, 0, 0);
  PathSolver solver(part, lens, RowTimes());
  solver.firstRound(quiet);
  solver.round(false, quiet);
  progress.update(0.2);
  const LensMap map(lens);
  const double limit = kLongestShare * frame_interval_s;
  std::vector<SplineFrame> frames = splineFrames(part, map, solver, 0, part.frames.size());
  const SplineKnots knots = SplineKnots::of(timesOf(frames), limit);
  SplineFit fit(std::move(frames), knots, {lens.width, lens.height, solver.pixel()}, limit,
                [&path = solver.path()](double t) { return path.orientationAt(t, frameAt(path, t)); });
  const SplineReadout both = fit.solveReadout(Eigen::Vector2d::Zero(), {true, true}, limit, quiet);
  progress.update(0.5);
  const Eigen::Vector2d trust = both.readout.cwiseAbs().cwiseQuotient(both.spread.cwiseMax(1e-9));
  const bool vertical = std::abs(both.readout.y()) >= std::abs(both.readout.x()) || trust.y() > 2 * trust.x();
  const int axis = vertical ? 1 : 0;
  Eigen::Vector2d start = Eigen::Vector2d::Zero();
  start(axis) = both.readout(axis);
  const SplineReadout one = fit.solveReadout(start, {!vertical, vertical}, limit, quiet);
  progress.update(0.7);

  ShutterFinding found;
  found.shutter.readout_s = std::abs(one.readout(axis));
  const CodingDoubt doubt = codingDoubtOf(record, coding);
  found.uncertainty_s = doubt.of(one.spread(axis), found.shutter.readout_s);
  found.shutter.direction = directionOf(one.readout, vertical);
  found.share_of_frame = found.shutter.readout_s / frame_interval_s;
  found.frames = static_cast<int>(usable);
  found.residual = fit.rmsPx();
  if (found.shutter.readout_s < kTrusted * found.uncertainty_s) {
    if (kTrusted * found.uncertainty_s > kGlobalWithin_s)
      throw Error(ErrorKind::Evidence, "The readout cannot be told", "",
                  "the camera turns too little, or too evenly (± " +
                      fixedText(found.uncertainty_s * 1000, 1) + " ms)",
                  "Use footage that shakes, or film a pan past uprights");
    found.global = true;
    found.shutter.direction = ScanDirection::Unknown;
    found.warnings.emplace_back("No readout can be seen within the uncertainty: a global shutter.");
  }
  warnOf(found, doubt, frame_interval_s);
  found.kind = ShutterPlot::Disagreement;
  found.plot = disagreementAlong(fit, one.readout, axis, frame_interval_s, progress);
  return found;
}

}  // namespace glenhaze
