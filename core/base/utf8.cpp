#include "core/base/utf8.h"

#include <cstdint>

namespace glenhaze {

namespace {

// Length of the well-formed sequence that begins here; 0: none does.
size_t sequenceAt(std::string_view text) {
  const auto byte = [&](size_t i) { return static_cast<unsigned char>(text[i]); };
  const unsigned first = byte(0);
  if (first < 0x80) return 1;
  const size_t length = first >= 0xF0 && first <= 0xF4   ? 4
                        : first >= 0xE0 && first <= 0xEF ? 3
                        : first >= 0xC2 && first <= 0xDF ? 2
                                                         : 0;
  if (length == 0 || text.size() < length) return 0;
  for (size_t i = 1; i < length; ++i)
    if ((byte(i) & 0xC0U) != 0x80) return 0;
  // Overlong forms, surrogates and what lies above U+10FFFF show in the second byte.
  const unsigned second = byte(1);
  if (first == 0xE0 && second < 0xA0) return 0;
  if (first == 0xED && second > 0x9F) return 0;
  if (first == 0xF0 && second < 0x90) return 0;
  if (first == 0xF4 && second > 0x8F) return 0;
  return length;
}

}  // namespace

bool isUtf8(std::string_view text) {
  while (!text.empty()) {
    const size_t length = sequenceAt(text);
    if (length == 0) return false;
    text.remove_prefix(length);
  }
  return true;
}

std::string asUtf8(std::string_view text) {
  std::string out;
  while (!text.empty()) {
    const size_t length = sequenceAt(text);
    if (length == 0)
      out += "\xEF\xBF\xBD";
    else
      out += text.substr(0, length);
    text.remove_prefix(length == 0 ? 1 : length);
  }
  return out;
}

}  // namespace glenhaze
