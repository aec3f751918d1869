#pragma once
// Noise curves by ISO: which one a clip gets, between and beyond what was measured, and what ISO a clip of
// unknown ISO has by its own noise.

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/noise/measure.h"

namespace glenhaze {

enum class IsoKind {
  Missing,   ///< there is no curve at all
  Measured,  ///< at this ISO, within a twentieth of a stop
  Between,   ///< between two measured ones
  Extended,  ///< beyond the measured ones, by the law of photon noise
  OwnClip    ///< measured in the clip itself, which says no ISO
};

struct IsoCurve {
  IsoKind kind = IsoKind::Missing;
  NoiseCurve curve;
  std::string reason;        ///< one sentence
  double low = 0, high = 0;  ///< measured ISOs that it rests on; the same where it is one
  double gap_stops = 0;      ///< between: stops between both neighbours; extended: stops to the nearest
};

/// The curve for an ISO. `light`: the variant wanted, "" for any. Between measured ISOs log variance is
/// linear in log ISO; beyond, variance grows as ISO does (photon noise alone).
IsoCurve curveForIso(std::span<const NoiseCurve> curves, double iso, const std::string& light = {});

/// "ISO 1250".
std::string isoText(double iso);

struct IsoEstimate {
  double iso = 0, low = 0, high = 0;  ///< low and high: two standard deviations away
  std::string light;                  ///< the variant that fits
  int patches = 0;                    ///< behind it
  bool operator==(const IsoEstimate&) const = default;
};

/// A clip's own noise against the curve that it is cleaned by: how many times the curve's sigma it is, by the
/// places of which most agree; empty where there are too few, or no two agree.
std::optional<double> noiseAgainst(std::span<const NoisePoint> points, const NoiseCurve& curve);

/// The kinds of light that there are curves for.
std::vector<std::string> lightsOf(std::span<const NoiseCurve> curves);

/// Which of several variants a clip of known ISO gets, by what its own noise fits, and why.
struct LightPick {
  std::string light;
  std::string reason;  ///< one sentence
};
LightPick lightOfPoints(std::span<const NoisePoint> points, std::span<const NoiseCurve> curves, double iso);
LightPick pickLight(const ClipInfo& clip, std::span<const NoiseCurve> curves, double iso,
                    const Progress& progress = {});

/// From a clip's own noise on flat places. Throws Error(Evidence) when there is none or no curve.
IsoEstimate estimateIso(const ClipInfo& clip, std::span<const NoiseCurve> curves,
                        const Progress& progress = {});

/// The same from points measured already.
IsoEstimate isoOfPoints(std::span<const NoisePoint> points, std::span<const NoiseCurve> curves);

}  // namespace glenhaze
