#include "core/base/base64.h"

namespace glenhaze {

std::string base64(std::span<const uint8_t> bytes) {
  constexpr const char* kDigits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
  std::string text;
  text.reserve((bytes.size() + 2) / 3 * 4);
  for (size_t i = 0; i < bytes.size(); i += 3) {
    uint32_t three = 0;
    for (size_t k = 0; k < 3; ++k) three = three << 8 | (i + k < bytes.size() ? bytes[i + k] : 0U);
    for (size_t k = 0; k < 4; ++k)
      text += i + k < bytes.size() + 1 ? kDigits[three >> (18 - 6 * k) & 63U] : '=';
  }
  return text;
}

}  // namespace glenhaze
