#pragma once
// Footage with one slanted edge in it, made without our own code.

#include <filesystem>

#include "tests/support/footage.h"

namespace glenhaze::testing {

/// Of an edge 1 / (1 + exp(−x / s)) half of the contrast is left where z / sinh z is a half, z = 2π²sf
/// = 2.1773.
constexpr double kEdgeSoftness_px = 0.5;
constexpr double kEdgeMtf50 = 2.1773 / (2 * 9.8696 * kEdgeSoftness_px);

/// 320 × 180, ten frames, an upright edge tilted by five degrees; `filter` after it, as "unsharp".
inline std::filesystem::path edgeFilm(const std::filesystem::path& path, const std::string& filter = "null") {
  const std::string edge = "geq=lum='60+120/(1+exp(-(0.996*(X-160)+0.087*(Y-90))/0.5))':cb=128:cr=128";
  return makeWithFfmpeg(path, "-f lavfi -i color=c=gray:s=320x180:r=10:d=1 -vf \"format=yuv420p," + edge +
                                  "," + filter +
                                  "\" -c:v libx264 -qp 4 -pix_fmt yuv420p -color_range tv -colorspace bt709");
}

}  // namespace glenhaze::testing
