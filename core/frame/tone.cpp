#include "core/frame/tone.h"

#include <cmath>

namespace glenhaze {

namespace {

// Odd about black, so that what lies below it comes back.
template <double (*Curve)(double)>
double odd(double v) {
  return v < 0 ? -Curve(-v) : Curve(v);
}

double lightOf709(double v) { return v < 0.081 ? v / 4.5 : std::pow((v + 0.099) / 1.099, 1 / 0.45); }
double codeOf709(double l) { return l < 0.018 ? 4.5 * l : 1.099 * std::pow(l, 0.45) - 0.099; }

double lightOfSrgb(double v) { return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); }
double codeOfSrgb(double l) { return l <= 0.0031308 ? 12.92 * l : 1.055 * std::pow(l, 1 / 2.4) - 0.055; }

double same(double v) { return v; }

// SMPTE ST 2084 (as in ITU-R BT.2100-2, table 4).
constexpr double kM1 = 2610.0 / 16384, kM2 = 2523.0 / 4096 * 128, kC1 = 3424.0 / 4096,
                 kC2 = 2413.0 / 4096 * 32, kC3 = 2392.0 / 4096 * 32;
double lightOfPq(double v) {
  const double p = std::pow(v, 1 / kM2);
  return std::pow(std::fmax(0, p - kC1) / (kC2 - kC3 * p), 1 / kM1);
}
double codeOfPq(double l) {
  const double p = std::pow(l, kM1);
  return std::pow((kC1 + kC2 * p) / (1 + kC3 * p), kM2);
}

// ITU-R BT.2100-2, table 5.
constexpr double kA = 0.17883277, kB = 1 - 4 * kA, kC = 0.55991073;
double lightOfHlg(double v) { return v <= 0.5 ? v * v / 3 : (std::exp((v - kC) / kA) + kB) / 12; }
double codeOfHlg(double l) { return l <= 1.0 / 12 ? std::sqrt(3 * l) : kA * std::log(12 * l - kB) + kC; }

}  // namespace

ToneCurve toneCurveOf(int h273_transfer) {
  constexpr double kGrey = 0.18;            // of white: common practice, no source
  constexpr double kPqGrey = 26.0 / 10000;  // cd/m² of middle grey in ITU-R BT.2408-4, table 1, from memory
  constexpr double kHlgGrey = 0.38 * 0.38 / 3;  // its code there, from memory
  switch (h273_transfer) {
    case 8:
      return {same, same, kGrey};
    case 13:
      return {odd<lightOfSrgb>, odd<codeOfSrgb>, kGrey};
    case 16:
      return {odd<lightOfPq>, odd<codeOfPq>, kPqGrey};
    case 18:
      return {odd<lightOfHlg>, odd<codeOfHlg>, kHlgGrey};
    default:
      return {odd<lightOf709>, odd<codeOf709>, kGrey};
  }
}

}  // namespace glenhaze
