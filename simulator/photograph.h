#pragma once
// A photograph as a surface: scenes that nobody computed, with every texture that there is.

#include <filesystem>
#include <memory>
#include <vector>

#include "simulator/vec.h"

namespace glenhaze::sim {

/// Linear light, shrunk by halves, so that it can be sampled over any footprint. Immutable.
class Photograph {
 public:
  /// Any picture that OpenCV reads, taken as sRGB (IEC 61966-2-1). Throws Error(Unreadable).
  static std::shared_ptr<const Photograph> read(const std::filesystem::path& path);

  int width() const { return levels_.front().width; }
  int height() const { return levels_.front().height; }
  /// At a place in px (centres at integers), averaged over `footprint` px; mirrored beyond its borders.
  V3 at(float x, float y, float footprint) const;

 private:
  struct Level {
    int width = 0, height = 0;
    std::vector<V3> pixels;
  };
  static V3 sampled(const Level& level, float x, float y);
  std::vector<Level> levels_;
};

}  // namespace glenhaze::sim
