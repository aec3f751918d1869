#pragma once
// The camera's path for other programs, as glTF 2.0 (Khronos, "glTF 2.0 Specification", sections 3.10 and
// 3.11): perspective cameras that turn over time.

#include <span>
#include <string>

#include "core/lens/model.h"
#include "core/motion/path.h"
#include "core/motion/stabilize.h"

namespace glenhaze {

/// One file with everything in it: a camera "as filmed" that follows `path`, and one "steadied" that follows
/// `steadied` where there is any; each an animation over the clip's time, beginning with the first frame.
/// Both see the lens's straight picture (see LensMap::undistort): its focal length is the height's; where its
/// centre is not the picture's middle, which glTF cannot say, "extras" has it in pixels ("centre_px"), with
/// the picture's size. What the window adds (crop, zoom, shift) is not in it. Throws Error(BadRequest) for a
/// path without frames.
std::string pathToGltf(const CameraPath& path, std::span<const VirtualFrame> steadied, const Lens& lens);

}  // namespace glenhaze
