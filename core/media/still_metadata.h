#pragma once
// What a still says of itself (EXIF, IPTC, XMP, ICC profile), carried over to the still that was made from
// it.

#include <cstdint>
#include <filesystem>
#include <vector>

#include "core/frame/frame.h"

namespace glenhaze {

/// What has to be in a TIFF when it is written: it is part of how such a file is laid out.
struct StillLayout {
  std::vector<uint8_t> icc;  ///< colour profile; may be empty
  int dpi = 0;               ///< 0: not said
};
/// Of a still; nothing where it says nothing or cannot be read for this.
StillLayout layoutOf(const std::filesystem::path& still);

/// Everything that `from` says and that still holds: camera, lens, exposure, ISO, date, place, maker's notes,
/// keywords, colour profile, resolution. Not carried: how the file is laid out (for a TIFF see StillLayout),
/// its thumbnail, how it is to be turned (`to` is upright). `size` is that of `to`. True where there was
/// anything. Throws Error(Unreadable) where one of the two cannot be read or written for this.
bool carryStillMetadata(const std::filesystem::path& from, const std::filesystem::path& to, PictureSize size);

}  // namespace glenhaze
