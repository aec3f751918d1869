#pragma once
// The chart on the whole screen, for filming a display instead of paper. Any key or click closes it.

#include "core/lens/chart.h"

namespace glenhaze::desktop {

void showChartOnScreen(const ChartSpec& spec);

}  // namespace glenhaze::desktop
