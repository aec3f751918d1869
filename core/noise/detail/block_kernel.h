#pragma once
// The heart of noise removal: one row of overlapping blocks of one plane. Each block and what motion finds
// of it in the neighbour frames are taken to the cosine domain; there the neighbours are averaged in as far
// as their difference is what the measured noise alone would make, octave by octave (after S. Hasinoff et
// al., "Burst photography for high dynamic range and low-light imaging on mobile cameras", ACM TOG 2016,
// which merges tiles in the frequency domain against a noise model); then what stays below the noise left
// is shrunk, each coefficient judged with its neighbours (T. Cai, B. Silverman, "Incorporating information
// on neighbouring coefficients into wavelet estimation", Sankhyā 2001).

#include <cstddef>
#include <cstdint>

#include "core/noise/detail/motion_field.h"

namespace glenhaze::detail {

constexpr int kBlockArea = kBlock * kBlock;
constexpr int kMostNeighbours = 8;

/// Sharpness-keeping interpolation for fractions of a sample: 6 taps, 32 phases.
constexpr int kTaps = 6, kPhases = 32;

/// Scales on which a neighbour's difference is held against noise at once: samples, and means over squares of
/// 2, 4 and 8.
constexpr int kScales = 4;

/// Octaves of a block's coefficients by the larger of both frequencies: 0, 1, 2–3, 4–7, 8–15.
constexpr int kBands = 5;

/// How much of the noise's variance is in a block of what was merged already, octave by octave; coarsest
/// first.
struct BandShares {
  float band[kBands] = {1, 1, 1, 1, 1};
};

/// A picture beside the one in the middle.
struct MergeNeighbour {
  const int16_t* plane = nullptr;  ///< at sample (0, 0); same stride as the middle plane
  const BlockVector* cells =
      nullptr;  ///< rows of columns + 1: where each cell is found, in this plane's samples
  const BandShares* shares = nullptr;  ///< of its own blocks; null: as noisy as it was filmed
  const float* trust_in = nullptr;     ///< 0..1 for each block from luma, or null
  float* trust_out = nullptr;          ///< written for each block, or null
};

/// One plane of one frame. Cells are squares of kStep; the first begins at −kStep. Block (column, row) covers
/// the cells from (column, row) to (column + 1, row + 1).
struct MergeJob {
  const int16_t* plane = nullptr;      ///< the picture in the middle, at sample (0, 0); a SamplePlane
  const BandShares* shares = nullptr;  ///< of its blocks; null: as noisy as it was filmed
  const int16_t* untouched = nullptr;  ///< the frame as it was filmed, as `plane`; what `mix` mixes back
  ptrdiff_t stride = 0;
  int width = 0, height = 0;
  int columns = 0, rows = 0;  ///< of blocks
  int neighbours = 0;
  MergeNeighbour neighbour[kMostNeighbours];
  const float* variance = nullptr;  ///< noise of each block, code values squared
  const float* spectrum = nullptr;  ///< kBlockArea factors, mean about 1
  /// Energy of unit noise of that spectrum in a block, at each scale, octave by octave.
  const float (*expected)[kBands] = nullptr;
  const struct BlockTables* tables = nullptr;
  float tolerance = 1;  ///< how much difference beyond noise is tolerated; 1: none but chance
  /// kBlockArea: how much is shrunk, as a multiple of the noise left (in variance); null: nothing.
  const float* shrink = nullptr;
  float mix = 0;  ///< share of the untouched block that is mixed back
  /// Added to each neighbour's share: what following the motion costs each time.
  float forgetting = 0;
  std::byte* out = nullptr;  ///< samples of the finished plane; or, where there is none:
  int16_t* kept =
      nullptr;  ///< the same as a SamplePlane of `stride`, with the share that is left of each block
  BandShares* kept_shares = nullptr;
  ptrdiff_t out_stride = 0;  ///< bytes
  int bit_depth = 8;
};

/// Which octave of detail (0 finest) a coefficient belongs to, by the larger of both frequencies.
size_t octaveOf(int x, int y);

/// Finishes the rows of samples from kStep·(first − 1) to before kStep·(last − 1), 1 ≤ first < last ≤ rows.
/// Rows may be finished in any order and grouping with the same result.
void mergeRows(const MergeJob& job, int first, int last);

/// Orthonormal cosine transform of one block; kBlockArea coefficients, [vertical][horizontal] frequency.
void blockCosines(const float* samples, ptrdiff_t stride, float* coefficients);

/// What a neighbour may differ by on a scale and still be nothing but noise, as a share of what is expected.
float surelyNoise(const MergeJob& job, int scale);

/// The tables that jobs point to.
struct BlockTables {
  BlockTables();
  int16_t taps[kPhases * kTaps];  ///< in 1/32768
  float window[kBlockArea];       ///< overlapping ones add up to 1
};

/// What MergeJob::expected is for a spectrum: each cosine's energy that is left by means over squares.
void expectedEnergies(const float* spectrum, float (&expected)[kScales][kBands]);

}  // namespace glenhaze::detail
