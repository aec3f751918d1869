#pragma once
// What a still says of itself (EXIF, IPTC, XMP, ICC profile), carried over to the still that was made from
// it.

#include <filesystem>

#include "core/frame/frame.h"

namespace glenhaze {

/// Everything that `from` says and that still holds: camera, lens, exposure, ISO, date, place, maker's notes,
/// keywords, colour profile, resolution. Not carried: how the file is laid out, its thumbnail, how it is to
/// be turned (`to` is upright). `size` is that of `to`, which is changed where it is. True where there was
/// anything. Throws Error(Unreadable) where one of the two cannot be read for this, Error(Unwritable).
bool carryStillMetadata(const std::filesystem::path& from, const std::filesystem::path& to, PictureSize size);

}  // namespace glenhaze
