#pragma once
// How strong a camera's noise is at one ISO: deviation over level for luma and both chroma, and how it is
// spread over detail. Levels and sigmas are in 8-bit code values as stored in the file (fractions kept),
// whatever the clip's depth; `level` is the luma level for all three channels.
// Shape of the curve: A. Foi et al., "Practical Poissonian-Gaussian noise modeling and fitting for
// single-image raw-data", IEEE TIP 2008, seen through the camera's tone curve.

#include <array>
#include <cstdint>
#include <string>
#include <vector>

namespace glenhaze {

constexpr int kNoiseChannels = 3;  ///< Y′, Cb, Cr
constexpr int kNoiseOctaves = 4;   ///< finest first: 1/2 to 1/4 cycle per pixel, then halves of that

struct NoiseCurve {
  double iso = 0;
  std::string light;                                      ///< variant ("lamp-lit"), "" when there is only one
  std::vector<double> level;                              ///< ascending
  std::array<std::vector<double>, kNoiseChannels> sigma;  ///< at each level, > 0
  std::array<std::vector<double>, kNoiseChannels> spread;  ///< standard deviation of sigma; may be empty
  /// Power per octave against white noise of the same variance (1: white). Each plane's own pixels.
  std::array<std::array<double, kNoiseOctaves>, kNoiseChannels> octaves{
      {{1, 1, 1, 1}, {1, 1, 1, 1}, {1, 1, 1, 1}}};
  /// How much of each plane's variance comes from red, green and blue, sum 1: the curves are those of greys,
  /// and a coloured place has the noise of its own three primaries. All 0: not told, curves hold for any
  /// colour.
  std::array<std::array<double, 3>, kNoiseChannels> primaries{};

  bool operator==(const NoiseCurve&) const = default;
  bool usable() const { return !level.empty(); }
  /// Linear between levels, constant beyond them.
  double sigmaAt(int channel, double luma) const;
  bool tellsColours(int channel) const;
  /// Variance of a place of this luma and these primaries (codes of luma), over a grey's of the same luma; 1
  /// where it is not told.
  double colourRatio(int channel, double luma, const std::array<float, 3>& primaries) const;
};

/// Linear between levels (ascending), constant beyond them; 0 where there are no values.
double valueAt(const std::vector<double>& level, const std::vector<double>& values, double luma);

/// From a frame on, another ISO's noise.
struct NoiseChange {
  int64_t first = 0;
  NoiseCurve curve;
  bool operator==(const NoiseChange&) const = default;
};

/// A curve with its sigmas multiplied.
NoiseCurve scaledCurve(const NoiseCurve& curve, double factor);

}  // namespace glenhaze
