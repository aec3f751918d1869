#pragma once
// Noise where it is cut off: near black and near white part of the samples would lie beyond what can be
// written, and pile up at the end. What is left deviates less, about a mean that is drawn inwards
// (A. Foi, "Clipped noisy images: heteroskedastic modeling and practical denoising", Signal Processing 89,
// 2009, section 3: expectation and deviation of clipped normal noise as functions of those before clipping).

#include "core/noise/curve.h"
#include "core/noise/detail/measure_common.h"

namespace glenhaze::detail {

struct ClippedNoise {
  double mean = 0, sigma = 0;
};

/// Normal noise of `sigma` > 0 about `level`, cut off below `ends.low` and above `ends.high`; all in codes.
ClippedNoise clippedNoise(double level, double sigma, const CodeEnds& ends);

/// A curve of what noise would be without ends, as it is seen at levels that are themselves seen (means of
/// cut-off noise). Chroma is cut off with the luma that it comes with. Its sigmas are at least a tenth of
/// what they were.
NoiseCurve asClipped(const NoiseCurve& curve, const CodeEnds& ends);

}  // namespace glenhaze::detail
