#pragma once
// The hot loop of the resampling: weighted sums of taps around many positions of one plane.

#include <cstddef>
#include <cstdint>

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

/// A cubic in t and the range its value is held to.
struct CubicRun {
  float a[4] = {};  ///< a[0] + a[1] t + a[2] t² + a[3] t³
  float low = 0, high = 0;
};

/// xs[i], ys[i] of t + i·step. Writes whole vectors: up to 7 values behind `count`.
void cubicPositions(const CubicRun& x, const CubicRun& y, float t, float step, int count, float* xs, float* ys);

/// to[i] = values[i]·gain, rounded and held to 0..max.
void storeSamples(const float* values, float gain, float max, int count, uint8_t* to);
void storeSamples(const float* values, float gain, float max, int count, uint16_t* to);

/// The same as sampleRun in plain C++: the reference for tests.
void sampleRunReference(const PaddedSource& source, const KernelTable& kx, const KernelTable& ky, const float* xs,
                        const float* ys, int count, float* out);

}  // namespace glenhaze::detail
