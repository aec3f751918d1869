#pragma once
// The rounds of solving for a path (see solve.h), for those who look at more than the path: the readout is
// solved from the same pairs.

#include <Eigen/Dense>
#include <vector>

#include "core/base/statistics.h"
#include "core/motion/detail/pair_rays.h"
#include "core/motion/solve.h"

namespace glenhaze::detail {

using Vector3 = Eigen::Vector3d;

// What moved a frame against the one before: `turn` takes rays of this frame into the one before.
struct Step {
  Quaternion turn;
  Point shift;  // of this frame's straight picture against the one before, in focal lengths
  double log_scale = 0;
  bool known = false;
};

// Rays in the middles of their frames.
struct Pairs {
  std::vector<Vector3> a, b;
  size_t size() const { return a.size(); }
};

struct Refined {
  Step step;
  double scale = 0;  // of the residuals, in rays
  double share = 0, rms = 0;
};

/// A ray as a camera without shift and zoom would have seen it, unit; and back.
Ray withoutShift(const Ray& ray, const PathFrame& f);
Ray withShift(const Ray& ray, const PathFrame& f);
inline bool isPlain(const PathFrame& f) { return f.shift.x == 0 && f.shift.y == 0 && f.scale == 1; }

Eigen::Matrix3d crossOf(const Vector3& v);
Eigen::Matrix3d matrixFrom(const Quaternion& q);
inline Vector3 toVector(const Ray& r) { return {r.x, r.y, r.z}; }

/// Not safe for two threads at once; works on all cores itself.
class PathSolver {
 public:
  /// Keeps references to record and lens.
  PathSolver(const TrackRecord& record, const Lens& lens, const RowTimes& rows);

  /// Consensus, without row times.
  void firstRound(const Progress& progress);
  /// Consensus anew, with row times and a narrow reach.
  void agreeAgain(const Progress& progress);
  /// Largest change of a step, rad.
  double round(bool full, const Progress& progress);
  /// Whether shift and scale explain clearly more on a sample of frames.
  bool parallaxHelps(const Progress& progress) const;
  PathFinding finding(bool full) const;

  const CameraPath& path() const { return path_; }
  const Step& step(size_t i) const { return steps_[i]; }
  double pixel() const { return pixel_; }

 private:
  template <typename Body>
  void forAll(const Progress& progress, Body body);
  Pairs atMiddles(size_t i, const std::vector<RayPair>& rays, bool rows) const;
  void keep(size_t i, const Refined& r);
  double spreadOf(const Pairs& pairs, const Refined& r) const;
  void link();
  bool blurred(size_t i) const;

  const TrackRecord& record_;
  const Lens& lens_;
  RowTimes rows_;
  double pixel_;  // a pixel at the middle, in rays
  std::vector<Step> steps_;
  std::vector<StepFit> fits_;
  CameraPath path_;
};

}  // namespace glenhaze::detail
