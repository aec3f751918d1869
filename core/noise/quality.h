#pragma once
// Qualities of noise removal by plain names, and what each costs on this computer.

#include <array>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/noise/denoise.h"

namespace glenhaze {

/// How many frames are looked at ahead, and so how many are remembered; everything else stays as it is set.
struct NoiseQuality {
  const char* name;
  int frames_each_side;
  const char* what;  ///< a sentence
};

/// Quickest first.
constexpr std::array<NoiseQuality, 4> kNoiseQualities{
    {{"Draft", 0, "Within each picture alone: for a look, or where nothing in one frame is in the next."},
     {"Standard", 1, "Looks one frame ahead and remembers the last few: right for most footage."},
     {"Fine", 2, "Looks two frames ahead and remembers more: night and high ISO."},
     {"Finest", 4,
      "Looks four frames ahead and remembers most: a little calmer still, for as long as it takes."}}};

struct NoiseSpeed {
  struct Row {
    NoiseQuality quality;
    double fps = 0;  ///< at 1920 × 1080, 8 bit 4:2:0, decoding and encoding not counted
  };
  int threads = 0;  ///< with which it was fastest
  std::vector<Row> rows;
};

/// Tries the qualities on made-up footage for some seconds, with several numbers of threads up to what the
/// machine has. Throws Error(Cancelled).
NoiseSpeed measureNoiseSpeed(const Progress& progress = {});

}  // namespace glenhaze
