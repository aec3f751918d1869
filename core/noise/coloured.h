#pragma once
// Noise of coloured places. A camera makes its noise in red, green and blue, each at its own brightness; luma
// and chroma are sums of theirs (ITU-R BT.709-6, item 3.2), so that a blue sky has other noise than a grey
// wall of the same luma. What each primary adds to each plane is told by places of different colours.

#include <functional>
#include <span>
#include <vector>

#include "core/noise/measure.h"

namespace glenhaze {

/// Variance of a point over that of a grey of the same luma; 1 where its colour was not looked at.
double colourRatioAt(const NoisePoint& point, int channel, const NoiseCurve& curve);

/// Points as they would be if they were grey.
std::vector<NoisePoint> asGreys(std::span<const NoisePoint> points, const NoiseCurve& curve);

/// A curve of greys, and its primaries where the points' colours tell them. `draw`: the curve through points
/// that are taken as greys. Throws what that throws.
NoiseCurve curveOfGreys(std::span<const NoisePoint> points,
                        const std::function<NoiseCurve(std::span<const NoisePoint>)>& draw);

}  // namespace glenhaze
