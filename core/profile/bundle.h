#pragma once
// Several profiles in one .zip, for mailing them to somebody.

#include <filesystem>
#include <span>
#include <vector>

#include "core/profile/profile.h"

namespace glenhaze {

/// The same profiles give the same bytes. Throws Error(Unreadable) for a profile that cannot be read,
/// Error(Unwritable).
void writeBundle(std::span<const std::filesystem::path> profiles, const std::filesystem::path& zip);

/// Every profile in it, wherever it lies there; without paths. Throws Error(Unreadable) where there is none,
/// or one is damaged or too large.
std::vector<Profile> readBundle(const std::filesystem::path& zip);

constexpr const char* kBundleEnding = ".zip";

}  // namespace glenhaze
