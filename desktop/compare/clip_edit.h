#pragma once
// How parts of the window say what is to become of the clip that is looked at.

#include <functional>

#include "core/treat/shoot.h"

namespace glenhaze::desktop {

using ClipEdit = std::function<void(ShootClip&)>;

}  // namespace glenhaze::desktop
