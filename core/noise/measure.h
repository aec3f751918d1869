#pragma once
// Measuring a camera's noise at one ISO: from a locked-off shot (differences over time) or from flat patches
// (what is left of a smooth surface). Light changes, clipped places, movement and repeated frames are kept
// out.

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/media/clip_info.h"
#include "core/noise/coder.h"
#include "core/noise/curve.h"

namespace glenhaze {

/// Luma samples.
struct PatchRect {
  int x = 0, y = 0, width = 0, height = 0;
  bool operator==(const PatchRect&) const = default;
};

/// What a patch is worth, said at once.
struct PatchVerdict {
  PatchRect rect;
  bool flat = false;
  std::string why;     ///< what is wrong with it and how to mend that, "" when it is flat
  int64_t frame = -1;  ///< it was judged in; −1: not said
  double level = 0;    ///< mean luma, 8-bit codes
  std::array<double, kNoiseChannels> variance{};  ///< of each plane, 8-bit codes squared
};

/// Variance seen at one level; `weight`: independent samples behind it.
struct NoisePoint {
  double level = 0;
  std::array<double, kNoiseChannels> variance{};
  std::array<double, kNoiseChannels> weight{};
  double fine = 0;    ///< variance of luma by its finest octave alone, where that was looked at; else 0
  double colour = 0;  ///< how far the place's mean is from grey, chroma codes
  std::array<float, 3> primaries{};  ///< of the place's mean, codes of luma; all 0: not looked at
};

/// What coding did to the noise, where the footage's stream says how coarse it is.
struct NoiseCoding {
  double step = 0;     ///< of luma's coefficients, 8-bit codes
  TakenByCoder taken;  ///< of luma's noise; the curve is of what is left
};

struct NoiseFinding {
  NoiseCurve curve;
  std::vector<NoisePoint> points;     ///< what the curve rests on
  std::vector<PatchVerdict> patches;  ///< in the order given; empty for locked-off shots
  int frames = 0;                     ///< that told something
  double share_used = 0;              ///< of the picture
  double residual = 0;                ///< relative RMS between points and curve, sigmas of luma
  std::optional<NoiseCoding> coding;  ///< see sayCoding
  std::vector<std::string> warnings;
};

/// One shot to measure from.
struct NoiseShot {
  ClipInfo clip;
  std::vector<PatchRect> patches;  ///< used by measurePatches; empty: found automatically
};

/// From locked-off shots. Throws Error(Evidence) when nothing in them stands still, Error(Cancelled).
NoiseFinding measureStatic(std::span<const ClipInfo> shots, double iso, const Progress& progress = {});

/// From patches over a few frames of each shot. Throws Error(Evidence) when none is flat.
NoiseFinding measurePatches(std::span<const NoiseShot> shots, double iso, const Progress& progress = {});

/// Adds to a finding what its shots' coder took, the coarsest one's, with a warning where it is much.
void sayCoding(NoiseFinding& finding, std::span<const ClipInfo> shots, const Progress& progress = {});

/// A frame and the one after it.
struct FramePair {
  Frame frame;
  std::optional<Frame> next;
};
/// The same of frames that are at hand, on places found automatically.
NoiseFinding measurePatchesOf(std::span<const FramePair> pairs, double iso);

/// Judges one patch from a frame and, if there is one, the frame after it.
PatchVerdict judgePatch(const Frame& frame, const Frame* next, const PatchRect& rect);

/// Flat places of a frame, best first, spread over the levels. `next` keeps the choice from favouring places
/// that are quiet by chance; may be null.
std::vector<PatchRect> findFlatPatches(const Frame& frame, const Frame* next, size_t most = 24);

/// Every cell of a grid over the frame, row by row, with its verdict: where flat areas are.
std::vector<PatchVerdict> judgeCells(const Frame& frame, const Frame* next);

/// Codes at and beyond which samples are cut off, 8-bit; by default none.
struct CodeEnds {
  double low = -1e3, high = 1e3;
};

/// A smooth curve through points: photon and read noise through a camera's tone curve, cut off where codes
/// end and bent to the points where they say so. Points are of noise as it is seen, cut off or not. Throws
/// Error(Evidence) when there are none.
NoiseCurve curveThrough(std::span<const NoisePoint> points, double iso, const CodeEnds& ends = {});

}  // namespace glenhaze
