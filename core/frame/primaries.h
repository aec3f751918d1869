#pragma once
// Red, green and blue behind luma and chroma, by the matrices of ITU-T H.273.

#include <array>

#include "core/frame/frame.h"

namespace glenhaze {

struct LumaWeights {
  float red = 0, blue = 0;
  float green() const { return 1 - red - blue; }
};

/// By H.273 matrix number (ITU-R BT.709, BT.601, SMPTE 240M, BT.2020); where a picture does not say, BT.601
/// for small and BT.709 for large ones (common practice, no source).
LumaWeights lumaWeights(int h273_matrix, int height);

/// R′, G′ and B′ as codes of luma: a grey's are all its luma.
class PrimaryCodes {
 public:
  PrimaryCodes(const ColourTags& colour, int height);
  /// 8-bit codes. Not held to any range.
  std::array<float, 3> of(float y, float cb, float cr) const {
    const float u = cb - 128, v = cr - 128;
    return {y + red_ * v, y + green_u_ * u + green_v_ * v, y + blue_ * u};
  }
  /// How much of R′, G′ and B′ is in a plane's code: of luma, in the direction of Cb, of Cr; any scale.
  std::array<double, 3> mixOf(int channel) const;

 private:
  LumaWeights weights_;
  float red_, blue_, green_u_, green_v_;
};

}  // namespace glenhaze
