#pragma once
// A small picture as a JPEG in memory, for reports and thumbnails.

#include <cstdint>
#include <vector>

#include "core/frame/rgb.h"

namespace glenhaze {

/// 4:2:0, by BT.601 and full range, as JFIF has it. Throws Error(Unwritable).
std::vector<uint8_t> jpegOf(const ScreenPicture& picture);

}  // namespace glenhaze
