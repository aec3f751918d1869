#pragma once
// Between the untouched picture and the corrected one, for what is drawn in other programs: the straightened
// plate with room at its edges, and overlays given the camera's own bend, shake and lean, so that they sit on
// the footage as filmed.

#include "core/media/rgba.h"
#include "core/pipeline/correction.h"
#include "core/pipeline/warp.h"

namespace glenhaze {

/// A picture in the straight one's pixels, which may reach beyond it: its middle is the straight one's.
/// Empty: there is nothing.
using Placing = std::function<std::optional<Point>(Point)>;

/// The lens's own straight picture (its focal length and centre; see LensMap::undistort).
Placing straightOf(const Lens& lens);
/// And back.
Placing filmedOf(const Lens& lens);

/// Where a roomy picture's pixels are those of the one in its middle: the difference of their corners.
Point roomAround(PictureSize roomy, PictureSize inner);

/// `overlay` as the camera would have filmed it: a picture of size `filmed`. `to_straight`: from the filmed
/// picture to the straight one of size `straight`, in whose middle the overlay lies. Sampled once, by cubics
/// (Catmull-Rom), widened where it shrinks.
/// Throws Error(BadRequest) for an overlay that is smaller than the straight picture.
RgbaPicture redone(const RgbaPicture& overlay, PictureSize filmed, PictureSize straight,
                   const Placing& to_straight);

/// The filmed picture straightened, with room around it; transparent where nothing was filmed. `to_filmed`:
/// from the straight picture of size `straight` to the filmed one.
RgbaPicture plateOf(const Frame& filmed, PictureSize roomy, PictureSize straight, const Placing& to_filmed);

}  // namespace glenhaze
