#pragma once
// The hot loop of the resampling: weighted sums of taps around many positions of one plane.

#include <cstddef>
#include <cstdint>
#include <span>

namespace glenhaze::detail {

/// One-dimensional kernels for 256 phases (position = whole + phase/256), phase by phase. Each has
/// `taps` weights that sum to 1, padded with zeros to `padded` (a multiple of 8); tap 0 belongs to
/// sample whole − taps/2 + 1.
struct KernelTable {
  const float* weights = nullptr;
  int taps = 0;
  int padded = 0;
};

/// A plane with a margin all around, so that no tap needs a bounds check: every position must have
/// padded/2 + 8 readable samples on each side. `origin` points at sample (0, 0).
struct PaddedSource {
  const void* origin = nullptr;
  ptrdiff_t stride = 0;  ///< samples from row to row
  int bytes_per_sample = 1;
};

/// out[i] = Σ Σ wy·wx·sample around (xs[i], ys[i]). Results may differ in the last bits between
/// instruction sets, never between runs on one machine.
void sampleRun(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky, const float* xs,
               const float* ys, int count, float* out);

/// The weights of 6 or 8 taps as polynomials in u = phase − ½, phase in [0, 1). Kernels are symmetric, so
/// tap t is even(u²) + u·odd(u²) and its mirror, tap taps−1−t, is even(u²) − u·odd(u²).
struct TapPolynomials {
  static constexpr int kEven = 4, kOdd = 3;
  int taps = 0;
  float even[4][kEven] = {};  ///< of the first half of the taps, powers of u² ascending
  float odd[4][kOdd] = {};
};

/// Samples in a run that is taken along a curve.
inline constexpr int kSmoothRun = 64;
/// Source columns that it may touch, and how many rows its curve may climb a column: fine texture is to be
/// kept clear of its own mirror.
inline constexpr int kSmoothColumns = 128;
inline constexpr float kSmoothSteepest = 0.25F;

/// How one run of kSmoothRun samples is taken: nothing here if it must go another way.
struct SmoothRun {
  const TapPolynomials *x = nullptr, *y = nullptr;
  bool taken = false;  ///< set where values were written
};

/// The same as sampleRun for runs of kSmoothRun neighbouring samples of a row (run i begins at sample
/// i·kSmoothRun) whose positions follow a smooth curve that goes left to right and climbs gently: columns
/// of the source are weighted vertically once, each at the height where the curve crosses it, and the
/// samples are then taken along the curve. Leaves a run alone where its curve is too steep, too wide, or
/// turns back.
void sampleSmoothRuns(const PaddedSource& source, std::span<SmoothRun> runs, const float* xs, const float* ys,
                      float* out);

/// Vectors are written whole: this many values behind the end of a buffer may be overwritten.
inline constexpr int kSurplus = 16;

/// Samples first..end−1 of a row lie on the cubic through grid points column..column+3; sample `first`
/// at t, where point column+1 is 0 and point column+2 is 1.
struct CubicStretch {
  int first = 0, end = 0, column = 0;
  float t = 0;
};

/// Grid points of a row, and how positions follow from them: value·scale − offset, held to low..high.
struct CubicRow {
  const float *gx = nullptr, *gy = nullptr;
  float step = 0;  ///< of t from sample to sample
  float scale_x = 1, scale_y = 1, offset_x = 0, offset_y = 0;
  float low = 0, high_x = 0, high_y = 0;
};

/// Positions of all stretches, which must be in order. Between stretches kSurplus values are overwritten.
void placeCubics(const CubicRow& row, std::span<const CubicStretch> stretches, float* xs, float* ys);

/// to[i] = values[i]·gain, rounded and held to 0..max.
void storeSamples(const float* values, float gain, float max, int count, uint8_t* to);
void storeSamples(const float* values, float gain, float max, int count, uint16_t* to);

/// The same as sampleRun in plain C++: the reference for tests.
void sampleRunReference(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky,
                        const float* xs, const float* ys, int count, float* out);

}  // namespace glenhaze::detail
