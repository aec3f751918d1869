#pragma once
// The hot loop of what is shown: one row of Y′CbCr to packed bytes.

#include <cstdint>

namespace glenhaze::detail {

/// Samples are of one byte up to 8 bits, of two above.
struct ScreenRow {
  int bytes_per_sample = 1, width = 0;
  const void* luma = nullptr;
  /// The rows of chroma above and below it, of `chroma_width`, and the share of the lower one; null: grey.
  const void *cb[2] = {}, *cr[2] = {};
  float share = 0;
  int chroma_width = 0;
  bool halved = false;   ///< chroma has half of luma's columns,
  bool centred = false;  ///< each between two of them, else on the left one
  float black = 0, gain = 1, chroma_mid = 128, chroma_gain = 1;
  float red_v = 0, green_u = 0, green_v = 0, blue_u = 0;
};

/// Floats of scratch that a row of `width` takes.
int screenScratch(int width);

/// 4·width bytes B, G, R, 255 from `to` on.
void screenRow(const ScreenRow& row, float* scratch, uint8_t* to);

}  // namespace glenhaze::detail
