#pragma once
// From tracks to the camera's path.
//
// Between neighbouring frames i−1 and i every tracked place gives two rays, a and b, read at row times of
// their own. Brought to the middles of their frames by the path itself, they are linked by one rotation Q:
//   a' = Q · b',   a' = q(i−1)⁻¹ q(tᵃ) · a,   b' = q(i)⁻¹ q(tᵇ) · b.
// Q is found by consensus (M. Fischler, R. Bolles, "Random sample consensus", 1981) and then by weighted
// least squares with Tukey's biweight; the path made of all Q corrects the row times of the next round.
// Where the scene shows parallax and it helps, a shift and a scale of the straight picture are solved with Q.

#include <array>
#include <optional>
#include <string>
#include <vector>

#include "core/lens/model.h"
#include "core/motion/path.h"
#include "core/motion/tracks.h"
#include "core/shutter/shutter.h"

namespace glenhaze {

enum class MotionModel { Auto, Rotation, RotationShiftScale };

struct SolveOptions {
  MotionModel model = MotionModel::Auto;
  int rounds = 4;  ///< with row times; 1..20
};

/// How well one frame's step from the frame before is known.
struct StepFit {
  int pairs = 0;
  double share = 0;   ///< of the pairs that agree, 0..1
  double rms_px = 0;  ///< of those, source px
};

struct PathFinding {
  CameraPath path;
  std::vector<StepFit> steps;  ///< one for each frame; the first holds nothing
  bool shift_and_scale = false;
  double rms_px = 0;  ///< median over the frames, source px
  std::vector<std::string> warnings;
};

/// The record's picture size must be the lens's. Throws Error(BadRequest), Error(Cancelled). A frame that
/// nothing links is marked and runs on at the speed it had, slowing down.
PathFinding solvePath(const TrackRecord& record, const Lens& lens, const Shutter& shutter,
                      const SolveOptions& options = {}, const Progress& progress = {});

}  // namespace glenhaze
