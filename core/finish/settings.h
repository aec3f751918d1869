#pragma once
// What is done to a clean picture that stands where it should: edges calmed and crispened, colour set. Every
// default but that of crispness leaves the picture as it is.

#include <filesystem>
#include <span>
#include <string>

namespace glenhaze {

/// In the units that are said; ranges are those of finishKeys().
struct FinishSettings {
  /// 1: gives back what enlarging takes of fine detail; 0: nothing; beyond 1: to taste.
  double crisp = 1;
  double calm = 1;  ///< share of the camera's own measured over-sharpening that is taken back
  /// Share that is taken out of what detail too fine for the sensor changes from frame to frame; on the
  /// sensor's own pixels, before anything moves them.
  double shimmer = 0;
  double halo = 6;           ///< how far crispness may pass beyond what is beside an edge, 8-bit codes
  double exposure = 0;       ///< stops, in linear light
  double contrast = 1;       ///< power about middle grey, in linear light
  double black = 0;          ///< code that becomes black, as a share of the range
  double white = 1;          ///< code that becomes white, as a share of the range
  double saturation = 1;     ///< of colour against grey
  double colour_dark = 1;    ///< the same again in the deepest shadows, 1 from a third of the range up
  double colour_bright = 1;  ///< and in the brightest lights, 1 from two thirds of the range down
  double warmth = 0;         ///< stops of red against blue, in linear light
  double tint = 0;           ///< stops of green against red and blue; less is magenta
  /// The camera's log curve, taken out before all this: a name of logCurves(); empty: it filmed none.
  std::string log_curve;
  std::filesystem::path lut;  ///< a .cube file, after all this; empty: none

  bool operator==(const FinishSettings&) const = default;
  /// Whether colours change; by a table or without.
  bool setsColour() const;
};

/// A sharpening that adds `amount` times what a Gaussian of `radius_px` takes from the picture.
struct Sharpening {
  double amount = 0;
  double radius_px = 0;
  bool operator==(const Sharpening&) const = default;
};

struct FinishKey {
  const char* name;
  double low, high;
  double (*get)(const FinishSettings&);
  void (*set)(FinishSettings&, double);  ///< takes what is within low and high
};
std::span<const FinishKey> finishKeys();

/// Throws Error(BadRequest) naming what is known.
void setByName(FinishSettings& settings, const std::string& key, const std::string& value);

/// As JSON text, for files that hold them; values out of range are held to it.
std::string finishToText(const FinishSettings& settings);
FinishSettings finishFromText(const std::string& text);

}  // namespace glenhaze
