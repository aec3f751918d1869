#pragma once
// How the brightness of a picture is spread: over its values, and over its width.

#include <array>
#include <cstdint>
#include <span>
#include <vector>

namespace glenhaze {

struct Scopes {
  static constexpr int kColumns = 256, kLevels = 128;
  /// Share of the pixels at each value of red, green, blue and luma (BT.709), 0..1.
  std::array<std::array<float, 256>, 4> histogram{};
  /// Share of each column's pixels at each level of luma, column by column, from dark to bright, 0..1.
  std::vector<float> waveform;
  /// Share of the pixels of which a primary is at its end: the scene may have had more to show there.
  double at_black = 0, at_white = 0;
};

/// Of a picture for the screen (see toScreen()): packed B, G, R, X, rows tight. Empty pictures give nothing
/// but zeros.
Scopes scopesOf(std::span<const uint8_t> bgrx, int width, int height);

}  // namespace glenhaze
