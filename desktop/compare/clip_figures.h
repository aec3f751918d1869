#pragma once
// The figures of one clip's correction as a small table, for the side of Compare.

#include <QString>
#include <vector>

#include "core/profile/profile.h"
#include "core/run/plan.h"

namespace glenhaze::desktop {

/// HTML.
QString clipFigures(const ClipPlan& plan, const std::vector<Profile>& profiles, const MotionAnswer* motion);

}  // namespace glenhaze::desktop
