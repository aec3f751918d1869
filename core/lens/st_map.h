#pragma once
// Maps for other programs: for each pixel of one picture where in another it comes from (the trade's ST map:
// red is x, green is y, normalised over the other picture, origin bottom left, at pixel centres; common
// practice, no source). As 32-bit OpenEXR.

#include <filesystem>
#include <functional>
#include <optional>
#include <vector>

#include "core/base/geometry.h"
#include "core/frame/frame.h"

namespace glenhaze {

enum class MapDirection { Undistort, Distort };

/// Row by row from the top; where nothing is shown s and t are −1 and alpha is 0.
struct StMap {
  int width = 0, height = 0;
  std::vector<float> s, t;
};

/// A straight picture with room all round it: `room` times its width on either side, as much of its height
/// above and below.
PictureSize roomySize(PictureSize straight, double room);

/// For each pixel of a picture of one size where `place` says it is in another one.
StMap stMapOf(PictureSize size, PictureSize other, const std::function<std::optional<Point>(Point)>& place);

/// Channels R, G and A, 32 bit, losslessly compressed. Throws Error(Unwritable).
void writeStMap(const StMap& map, const std::filesystem::path& file);

}  // namespace glenhaze
