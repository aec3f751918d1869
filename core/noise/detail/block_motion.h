#pragma once
// Where each block of one frame is found in another. Coarse to fine on noisy luma: levels of the pyramid
// average the noise away, and the last step solves for the fraction of a pixel on softened planes
// (B. Lucas, T. Kanade, "An iterative image registration technique…", IJCAI 1981).

#include <vector>

#include "core/base/progress.h"
#include "core/noise/detail/motion_field.h"
#include "core/noise/detail/motion_kernel.h"
#include "core/noise/detail/planes.h"

namespace glenhaze::detail {

/// What noise leaves of the squared difference of two softened samples: 1 2 1 both ways leaves 9/64 of the
/// variance of white noise.
constexpr float softNoiseEnergy(float sigma) { return sigma * sigma * (9.0F / 64) * 2; }
/// Structure of a block that holds its motion against such noise to some hundredths of a sample, as a
/// multiple of that; the gain is flat about it (benchmarks/noise_photographs).
constexpr float kTrustedStructure = 700;

/// What is looked at of a frame: its luma at several sizes, and softened at full size.
struct MotionPicture {
  std::vector<BytePlane> pyramid;
  SamplePlane soft;
};
MotionPicture motionPicture(const SamplePlane& luma);
/// The same, in memory that was used before.
void makeMotionPicture(const SamplePlane& luma, MotionPicture& to);

/// Motion from `from` to `to`: block at p in `from` is at p + vector in `to`. `sigma`: noise of luma, in
/// code values; random resemblance below it is not followed. Rows in parallel, same result for any number
/// of threads.
/// Throws Error(Cancelled) when `progress` is stopped.
MotionField estimateMotion(const MotionPicture& from, const MotionPicture& to, float sigma,
                           const Progress& progress = {});
/// The same near a guess, which saves the search; of the same size.
MotionField estimateMotion(const MotionPicture& from, const MotionPicture& to, float sigma,
                           const MotionField& guess, const Progress& progress = {});

/// The same without any search: a guess that is right to a sample is made right to a fraction.
MotionField refineMotion(const MotionPicture& from, const MotionPicture& to, float sigma,
                         const MotionField& guess, const Progress& progress = {});

/// Sums of absolute differences between two softened planes, which must outlive it.
class CellDifference {
 public:
  CellDifference(const SamplePlane& from, const SamplePlane& to);
  /// Of a square of kStep at (x, y) against the one at (x + dx, y + dy), in steps of 1/kSoftUnit.
  int of(int x, int y, int dx, int dy) const;

 private:
  const SamplePlane &from_, &to_;
  MotionKernels kernels_;
};

}  // namespace glenhaze::detail
