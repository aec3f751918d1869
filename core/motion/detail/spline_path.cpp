#include "core/motion/detail/spline_path.h"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"

namespace glenhaze::detail {

namespace {

constexpr size_t kStretch = 300;  // frames that are solved together
constexpr size_t kLookAhead =
    30;                      // of them, that the next stretch solves again: what lies beyond tells on these
constexpr size_t kBack = 8;  // frames before a stretch whose pairs touch its controls

class SceneSpline {
 public:
  SceneSpline(const TrackRecord& record, const LensMap& map, const Point& readout, const PathSolver& solver,
              size_t first, size_t end)
      : record_(record),
        map_(map),
        solver_(solver),
        readout_(readout.x, readout.y),
        first_(first),
        end_(end) {
    std::vector<double> times;
    for (size_t i = first; i < end; ++i) times.push_back(record.frames[i].time_s);
    reach_ = std::abs(readout.x) + std::abs(readout.y);
    knots_ = SplineKnots::of(times, reach_);
  }

  RotationSpline solve(const Progress& progress) {
    for (size_t at = first_; at < end_;) at = solveStretch(at, progress);
    return known_;
  }

 private:
  // From frame `at` on; returns the frame from which the next has to go on.
  size_t solveStretch(size_t at, const Progress& progress) {
    const size_t from = at > first_ + kBack ? at - kBack : first_;
    size_t end = std::min(end_, at + kStretch + kLookAhead);
    if (end_ - end < kStretch / 3) end = end_;
    const CameraPath& path = solver_.path();
    SplineFit fit(
        splineFrames(record_, map_, solver_, from, end), knots_,
        {map_.lens().width, map_.lens().height, solver_.pixel()}, reach_,
        [&](double t) {
          return to_known_ * path.orientationAt(t, std::clamp(frameAt(path, t), first_, end_ - 1));
        },
        known_, held_);
    if (!known_.empty()) fit.beginWithPrior(prior_);
    fit.solve(readout_, progress);
    prior_ = fit.prior();
    take(fit);
    if (end == end_) return end_;
    const size_t next = end - kLookAhead;
    held_ = static_cast<size_t>((record_.frames[next].time_s - knots_.first_s) / knots_.spacing_s) + 2;
    // Where the next stretch begins to guess, it begins from here.
    to_known_ = known_.at(record_.frames[next].time_s) * inverse(path.frames()[next].orientation);
    return next;
  }

  void take(const SplineFit& fit) {
    std::vector<Quaternion> controls = known_.controls();
    controls.resize(fit.offset() + fit.spline().controls().size());
    std::copy(fit.spline().controls().begin(), fit.spline().controls().end(),
              controls.begin() + static_cast<ptrdiff_t>(fit.offset()));
    known_ = RotationSpline(knots_.first_s, knots_.spacing_s, std::move(controls));
  }

  const TrackRecord& record_;
  const LensMap& map_;
  const PathSolver& solver_;
  Eigen::Vector2d readout_;
  size_t first_, end_, held_ = 0;
  double reach_ = 0;
  SplineKnots knots_;
  RotationSpline known_;
  Quaternion to_known_;
  SplineFit::Prior prior_{};
};

}  // namespace

std::vector<SplineFrame> splineFrames(const TrackRecord& record, const LensMap& map, const PathSolver& solver,
                                      size_t first, size_t end) {
  std::vector<SplineFrame> frames(end - first);
  const auto& path = solver.path().frames();
  parallelBlocks(static_cast<int>(frames.size()), 8, [&](int begin, int last) {
    for (int n = begin; n < last; ++n) {
      const size_t i = first + static_cast<size_t>(n);
      SplineFrame& frame = frames[static_cast<size_t>(n)];
      frame.time_s = record.frames[i].time_s;
      if (i == 0 || record.frames[i].cut) continue;
      frame.turn = inverse(path[i - 1].orientation) * path[i].orientation;
      if (!solver.step(i).known) continue;
      frame.pairs = raysOf(record.frames[i], map);
      if (isPlain(path[i - 1]) && isPlain(path[i])) continue;
      for (RayPair& p : frame.pairs) {
        p.a = withoutShift(p.a, path[i - 1]);
        p.b = withoutShift(p.b, path[i]);
      }
    }
  });
  return frames;
}

size_t frameAt(const CameraPath& path, double time_s) {
  const auto& frames = path.frames();
  const auto after = std::upper_bound(frames.begin(), frames.end(), time_s,
                                      [](double t, const PathFrame& f) { return t < f.time_s; });
  return after == frames.begin() ? 0 : static_cast<size_t>(after - frames.begin()) - 1;
}

std::vector<RotationSpline> splinesOf(const TrackRecord& record, const Lens& lens, const Point& readout,
                                      const PathSolver& solver, const Progress& progress) {
  constexpr size_t kFewest = 3;
  const LensMap map(lens);
  const auto& scenes = solver.path().scenes();
  std::vector<RotationSpline> splines(scenes.size());
  for (size_t s = 0; s < scenes.size(); ++s) {
    const size_t end = s + 1 < scenes.size() ? scenes[s + 1] : record.frames.size();
    std::vector<double> times;
    for (size_t i = scenes[s]; i < end; ++i) times.push_back(record.frames[i].time_s);
    if (times.size() < kFewest || !isSteadyRate(times)) continue;
    splines[s] = SceneSpline(record, map, readout, solver, scenes[s], end).solve(progress);
  }
  return splines;
}

}  // namespace glenhaze::detail
