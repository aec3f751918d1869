#pragma once
// Noise removal by the noise that was measured: first over neighbouring frames along the motion, then within
// the picture. Works on the sensor's own pixels, before anything moves them.

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/progress.h"
#include "core/frame/frame.h"
#include "core/noise/curve.h"

namespace glenhaze {

/// Every default is right for most footage; strengths are multiples of the measured noise.
struct DenoiseSettings {
  /// 0..4; 0: within the picture only. So many frames are looked at ahead; more than as many, up to some
  /// seven times that, are remembered.
  int frames_each_side = 1;
  double luma = 1;  ///< 1: as measured; 0: luma is left alone
  double chroma = 1;
  double smoothing = 1;  ///< how much texture is traded for smoothness within the picture, 0..3
  double tolerance = 1;  ///< how much motion is tolerated before a place is left alone, 0.25..4
  int reach = 4;         ///< octaves of detail that the part within the picture works on, 0..4
  double mix = 0;        ///< share of the source mixed back, 0..1
  double blocks = 1;     ///< share of measured blockiness that is smoothed, 0..1; nothing where there is none
  int specks = 0;        ///< 1: what is in one frame only, as dust or drops, is mended from its neighbours
  double shadow_colour = 0;  ///< share of colour taken out of the deepest shadows, 0..1
  double flicker = 0;        ///< share of measured flicker that is evened out, 0..1

  bool operator==(const DenoiseSettings&) const = default;
};

/// The settings by name, for files, command line and checks: one list for all.
struct DenoiseKey {
  const char* name;
  double low, high;
  bool whole;  ///< takes whole numbers only
  double (*get)(const DenoiseSettings&);
  void (*set)(DenoiseSettings&, double);  ///< takes what is within low and high
};
std::span<const DenoiseKey> denoiseKeys();
/// Throws Error(BadRequest) naming what is known.
void setByName(DenoiseSettings& settings, const std::string& key, const std::string& value);

/// Frames in, frames out, in order; holds frames_each_side frames back. What was seen before is remembered as
/// one picture that is merged along the motion, each octave of each block by the noise that is left in it (a
/// Kalman filter: R. Kalman, "A new approach to linear filtering and prediction problems", 1960); frames
/// after it are looked at as they were filmed. The same bits whatever the number of threads. Not safe for two
/// threads at once.
class Denoiser {
 public:
  /// The first `lead` frames are only looked at for those after them and do not come out. Frames are counted
  /// from the index of the first one.
  /// Throws Error(BadRequest) when a setting is out of its range or the curve is empty.
  Denoiser(NoiseCurve curve, const DenoiseSettings& settings, int lead = 0);
  ~Denoiser();
  Denoiser(Denoiser&&) noexcept;
  Denoiser& operator=(Denoiser&&) noexcept;

  /// Frames pushed from now on have this noise.
  void changeCurve(NoiseCurve curve);

  /// Takes the next frame; returns the frame that is finished by it, if any. Throws Error(BadRequest) for
  /// frames that are not planar luma and chroma.
  /// With `progress` stopped it throws Error(Cancelled) soon, and this denoiser is then of no further use.
  std::optional<Frame> push(Frame frame, const Progress& progress = {});
  /// The frames still inside; to be called until it is empty.
  std::optional<Frame> drain(const Progress& progress = {});

  /// How many frames before frame `index` of a clip must be pushed first for the same bits as from its start.
  static int looksBack(const DenoiseSettings& settings, int64_t index);

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// One of a few frames in order, for looking at it.
Frame denoiseOne(const std::vector<Frame>& frames, size_t middle, const NoiseCurve& curve,
                 const DenoiseSettings& settings);

}  // namespace glenhaze
