#pragma once
// The noise part of a profile: curves by ISO with where they came from, and how strongly to remove.

#include <optional>
#include <string>
#include <vector>

#include "core/finish/hot_pixels.h"
#include "core/noise/denoise.h"
#include "core/noise/iso_table.h"
#include "core/profile/evidence.h"

namespace glenhaze {

struct NoiseEntry {
  NoiseCurve curve;
  Origin origin = Origin::Measured;
  std::string method;              ///< "locked-off", "patches", "typed"
  double residual = -1;            ///< relative RMS between what was seen and the curve; −1: none
  std::vector<NoisePoint> points;  ///< what it was drawn through
  std::vector<Evidence> evidence;
  std::string kept_json;  ///< keys that this version does not know, as one JSON object; "" for none
};

struct NoisePart {
  std::vector<NoiseEntry> entries;  ///< by ISO, then by light
  DenoiseSettings denoise;          ///< the camera's default
  std::vector<HotPixel> hot_pixels;

  std::vector<NoiseCurve> curves() const;
  /// Puts an entry in its place; one of the same ISO and light is replaced.
  void put(NoiseEntry entry);
};

/// What a measurement becomes. `locked_off`: from differences over time.
NoiseEntry noiseEntryFrom(const NoiseFinding& finding, const std::vector<std::string>& sources,
                          bool locked_off);

/// How much an ISO's curve differs from what the others say about it, as a ratio of luma sigmas; empty when
/// the others say nothing. Evidence for the law between the ISOs.
std::optional<double> leaveOneOut(const NoisePart& part, size_t entry);

}  // namespace glenhaze
