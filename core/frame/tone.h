#pragma once
// Between code values and light, by the transfer characteristics of ITU-T H.273.

namespace glenhaze {

/// Both ways strictly rising, also somewhat outside 0..1; each the other's inverse. Code 0 is black and 1
/// nominal white; light 1 is what nominal white shows, but for the curves of wide range, which say so.
struct ToneCurve {
  double (*toLight)(double code);
  double (*toCode)(double light);
  double grey;  ///< light of middle grey
};

/// ITU-R BT.709-6 item 1.2 (also BT.601 and BT.2020, and for what does not say), IEC 61966-2-1 (sRGB),
/// linear, SMPTE ST 2084 (light 1 is 10000 cd/m²) and the hybrid log-gamma of ITU-R BT.2100-2 (light 1 is its
/// peak).
ToneCurve toneCurveOf(int h273_transfer);

}  // namespace glenhaze
