#pragma once
// The splines of a whole clip from the steps that a PathSolver found.

#include <vector>

#include "core/motion/detail/path_solver.h"
#include "core/motion/detail/spline_fit.h"

namespace glenhaze::detail {

/// Frames `first` to before `end` of the record as rays. Where shift and scale were solved, they are taken
/// off the rays; a frame that nothing links has its supposed step instead.
std::vector<SplineFrame> splineFrames(const TrackRecord& record, const LensMap& map, const PathSolver& solver,
                                      size_t first, size_t end);

/// The frame at or before a time; the first one before all.
size_t frameAt(const CameraPath& path, double time_s);

/// One spline a scene, solved in stretches so that memory does not grow with the clip; empty for scenes of
/// under three frames or with long pauses between them. `readout`: signed, right and down positive, s.
std::vector<RotationSpline> splinesOf(const TrackRecord& record, const Lens& lens, const Point& readout,
                                      const PathSolver& solver, const Progress& progress);

}  // namespace glenhaze::detail
