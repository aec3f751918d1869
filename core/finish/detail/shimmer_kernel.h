#pragma once
// The hot loop of ShimmerCalmer: squares of samples between the grid.

#include <array>
#include <cstddef>
#include <cstdint>

namespace glenhaze::detail {

constexpr int kFineCell = 8;  ///< samples on a side
/// Interpolation that keeps detail up to 0.4 cycles a sample: 8 taps of a sinc under a cosine window, in 32
/// phases.
constexpr int kFineTaps = 8, kFinePhases = 32;
constexpr int kFineLeft = kFineTaps / 2 - 1;  ///< taps before the sample

class FineFetch {
 public:
  FineFetch();
  /// kFineCell² samples, phases in 1/kFinePhases of a sample. `from`: the whole sample at or before the first
  /// one; kFineLeft samples before it and up to 2·kFineCell from there on are read, rows alike.
  void operator()(const int16_t* from, ptrdiff_t stride, int phase_x, int phase_y, float* to) const {
    here_(from, stride, taps_[static_cast<size_t>(phase_x)].data(),
          taps_[static_cast<size_t>(phase_y)].data(), to);
  }

 private:
  void (*here_)(const int16_t*, ptrdiff_t, const float*, const float*, float*);
  std::array<std::array<float, kFineTaps>, kFinePhases> taps_;
};

}  // namespace glenhaze::detail
