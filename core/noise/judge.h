#pragma once
// Whether noise removal did what it should: what is left of the noise, and whether structure went with it.

#include <optional>
#include <vector>

#include "core/base/progress.h"
#include "core/media/reader.h"
#include "core/noise/denoise.h"

namespace glenhaze {

struct RemovalVerdict {
  std::optional<double>
      noise_left;  ///< deviation on flat places, slopes left out, after against before; empty without any
  double structure_taken = 0;    ///< share of the contrast of structured places that went with the noise
  bool takes_structure = false;  ///< more of it than chance and the shrinking of noise itself explain
};

/// Judges luma of one frame. `source` and `clean` are of one size and format, else Error(BadRequest).
RemovalVerdict judgeRemoval(const Frame& source, const Frame& clean, const NoiseCurve& curve);

/// The largest luma strength, from the one set down to a quarter of it, at which no structure is taken from
/// the middle one of a few frames in order; the smallest tried when all take some. Throws Error(Cancelled).
double strengthThatKeepsStructure(const std::vector<Frame>& frames, size_t middle, const NoiseCurve& curve,
                                  DenoiseSettings settings, const Progress& progress = {});

/// The same for a frame of a clip, with the neighbours that the settings ask for.
double strengthThatKeepsStructure(const ClipInfo& clip, Fields fields, int64_t frame, const NoiseCurve& curve,
                                  const DenoiseSettings& settings, const Progress& progress = {});

}  // namespace glenhaze
