#pragma once
// The heart of noise removal: one row of overlapping blocks of one plane. Each block and what motion finds
// of it in the neighbour frames are taken to the cosine domain; there the neighbours are averaged in as far
// as their difference is what the measured noise alone would make, octave by octave (after S. Hasinoff et
// al., "Burst photography for high dynamic range and low-light imaging on mobile cameras", ACM TOG 2016,
// which merges tiles in the frequency domain against a noise model); then what stays below the noise left
// is shrunk, each coefficient judged with its neighbours (T. Cai, B. Silverman, "Incorporating information
// on neighbouring coefficients into wavelet estimation", Sankhyā 2001).

#include <cstddef>

#include "core/noise/detail/block_motion.h"

namespace glenhaze::detail {

constexpr int kBlockArea = kBlock * kBlock;
constexpr int kMostNeighbours = 8;

/// Sharpness-keeping interpolation for fractions of a sample: 6 taps, 32 phases.
constexpr int kTaps = 6, kPhases = 32;

struct StripeNeighbour {
  const float* plane = nullptr;          ///< at sample (0, 0); same stride as the middle plane
  const BlockVector* vectors = nullptr;  ///< one for each block of the row, in this plane's samples
  const float* trust_in = nullptr;       ///< 0..1 for each block from luma, or null
  float* trust_out = nullptr;            ///< written for each block, or null
};

struct StripeJob {
  const float* plane = nullptr;  ///< the frame in the middle, at sample (0, 0)
  ptrdiff_t stride = 0;
  int width = 0, height = 0;
  int y = 0;  ///< top of the blocks; the first begins at x = −kStep
  int columns = 0;
  int neighbours = 0;
  StripeNeighbour neighbour[kMostNeighbours];
  const float* variance = nullptr;  ///< noise of each block, code values squared
  const float* spectrum = nullptr;  ///< kBlockArea factors, mean about 1
  const float* taps = nullptr;      ///< kPhases × 8 weights, kTaps used
  const float* window = nullptr;    ///< kBlockArea; overlapping ones add up to 1
  float tolerance = 1;              ///< how much difference beyond noise is tolerated; 1: none but chance
  /// kBlockArea: how much is shrunk, as a multiple of the noise left (in variance); null: nothing.
  const float* shrink = nullptr;
  float mix = 0;         ///< share of the untouched block that is mixed back
  float* out = nullptr;  ///< (columns + 1)·kStep × kBlock samples, rows tight, added to
};

/// Which octave of detail (0 finest) a coefficient belongs to, by the larger of both frequencies.
size_t octaveOf(int x, int y);

void processStripe(const StripeJob& job);

/// Orthonormal cosine transform of one block; kBlockArea coefficients, [vertical][horizontal] frequency.
void blockCosines(const float* samples, ptrdiff_t stride, float* coefficients);

/// The tables that jobs point to.
struct BlockTables {
  BlockTables();
  float taps[kPhases * 8];
  float window[kBlockArea];
};

}  // namespace glenhaze::detail
