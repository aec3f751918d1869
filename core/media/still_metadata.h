#pragma once
// What a still says of itself (EXIF, IPTC, XMP, ICC profile), carried over to the still that was made from
// it.

#include <cstdint>
#include <filesystem>
#include <vector>

#include "core/frame/frame.h"

namespace glenhaze {

/// Dots per inch that a still says; 0 where it does not, or cannot be read for this.
int resolutionOf(const std::filesystem::path& still);

/// Adds a colour profile to a TIFF of one picture that has none (tag 34675, "ICC Profile", ICC.1 annex B.4):
/// what is there stays where it is, a longer list of tags is added behind it. Throws Error(Unreadable) for
/// what is no such file, Error(Unwritable).
void addTiffProfile(const std::filesystem::path& tiff, const std::vector<uint8_t>& icc);

/// Everything that `from` says and that still holds: camera, lens, exposure, ISO, date, place, maker's notes,
/// keywords, colour profile, resolution. Not carried: how the file is laid out (a TIFF's
/// resolution is part of that), its thumbnail, how it is to be turned (`to` is upright). A JPEG whose source
/// has a thumbnail gets one of its own picture. `size` is that of `to`. True where there was anything. Throws
/// Error(Unreadable) where one of the two cannot be read or written for this.
bool carryStillMetadata(const std::filesystem::path& from, const std::filesystem::path& to, PictureSize size);

}  // namespace glenhaze
