#pragma once
// Photographs that Debian packages carry, for footage whose textures nobody computed. Installed for tests and
// benchmarks only (lomiri-wallpapers-16.04), not committed.

#include <filesystem>
#include <vector>

namespace glenhaze::testing {

/// In order of their names; empty where the package is not installed.
std::vector<std::filesystem::path> photographs();

}  // namespace glenhaze::testing
