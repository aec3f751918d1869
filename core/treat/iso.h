#pragma once
// Which ISO a clip is treated with, and who says so.

#include <filesystem>
#include <optional>
#include <string>

#include "core/treat/facts.h"
#include "core/treat/shoot.h"

namespace glenhaze {

struct ClipIso {
  double iso = 0;
  enum class From { Hand, File, Name, Noise } from = From::File;
  std::string text;  ///< "ISO 1250", "ISO ≈ 1250 (1000 to 1500)"
};

/// In this order: by hand, the file and its telemetry, its name by the shoot's pattern, its own noise; empty
/// when nobody says it.
std::optional<ClipIso> isoOf(const Shoot& shoot, const ShootClip& clip, const ClipInfo& info);

/// By the clip's own noise.
ClipIso isoByNoise(const IsoEstimate& estimate);

/// The ISO that a pattern (Shoot::iso_pattern) finds in a file's name or in the nearest folder's that has
/// one. Time grows with the product of the lengths of name and pattern only.
std::optional<int> isoFromName(const std::filesystem::path& path, const std::string& pattern);

}  // namespace glenhaze
