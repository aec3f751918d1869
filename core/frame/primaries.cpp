#include "core/frame/primaries.h"

namespace glenhaze {

LumaWeights lumaWeights(int h273_matrix, int height) {
  constexpr LumaWeights kBt601{0.299F, 0.114F}, kBt709{0.2126F, 0.0722F};
  switch (h273_matrix) {
    case 1:
      return kBt709;
    case 5:
    case 6:
      return kBt601;
    case 7:
      return {0.212F, 0.087F};
    case 9:
    case 10:
      return {0.2627F, 0.0593F};
    default:
      return height >= 720 ? kBt709 : kBt601;
  }
}

PrimaryCodes::PrimaryCodes(const ColourTags& colour, int height)
    : weights_(lumaWeights(colour.matrix, height)) {
  // Limited range: 219 codes of luma and 224 of chroma (ITU-R BT.709-6, item 3.4).
  const float scale = colour.full_range ? 1.0F : 219.0F / 224.0F;
  red_ = scale * 2 * (1 - weights_.red);
  blue_ = scale * 2 * (1 - weights_.blue);
  green_u_ = -blue_ * weights_.blue / weights_.green();
  green_v_ = -red_ * weights_.red / weights_.green();
}

std::array<double, 3> PrimaryCodes::mixOf(int channel) const {
  const auto red = static_cast<double>(weights_.red), green = static_cast<double>(weights_.green()),
             blue = static_cast<double>(weights_.blue);
  if (channel == 0) return {red, green, blue};
  if (channel == 1) return {-red, -green, 1 - blue};
  return {1 - red, -green, -blue};
}

}  // namespace glenhaze
