#pragma once
// How fast each quality of noise removal is on this computer, as it was tried out last; kept with the
// preferences.

#include <QString>
#include <array>

#include "core/noise/quality.h"

namespace glenhaze::desktop {

/// Frames a second at 1920 × 1080 by frames looked ahead; 0: not tried.
std::array<double, 5> noiseSpeeds();
void keepNoiseSpeeds(const NoiseSpeed& speed);
QString speedText(const std::array<double, 5>& speeds);

}  // namespace glenhaze::desktop
