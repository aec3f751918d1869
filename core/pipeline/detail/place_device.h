#pragma once
// The resampling of one plane on a device: what sample_kernel.h does by the processor, with the same tables.

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "core/device/device.h"

namespace glenhaze::detail {

/// Kernels for the device, laid out one behind the other.
struct DeviceKernels {
  std::vector<float> weights;                 ///< of all tables
  std::vector<std::array<int, 4>> levels;     ///< of each: taps, weights from phase to phase, where it begins
  std::vector<std::array<float, 28>> fitted;  ///< the polynomials of the first of them: 16 even ones, 12 odd
};

struct PlaceJob {
  struct Cell {
    uint8_t level_x = 0, level_y = 0, flags = 0, spare = 0;
  };
  static constexpr uint8_t kBlank = 1, kExact = 2, kBorder = 4;
  static constexpr uint8_t kNoLevel = 255;
  struct RunLevels {
    uint8_t x = kNoLevel, y = kNoLevel;
  };
  struct Row {
    int cells = 0;                   ///< which row of them
    std::array<float, 4> weights{};  ///< of the grid's rows from cells − 1 on
  };

  const std::byte* in = nullptr;
  ptrdiff_t in_stride = 0;  ///< bytes
  int in_bytes = 1, in_width = 0, in_height = 0;
  std::byte* out = nullptr;
  ptrdiff_t out_stride = 0;  ///< bytes
  int out_bytes = 1, out_width = 0, out_height = 0;
  int grid_columns = 0, grid_step = 16;
  std::span<const float> grid_x, grid_y;
  std::vector<Cell> cells;      ///< as many as there are points
  std::vector<RunLevels> runs;  ///< of each row of cells: kernels of runs that go along their curve
  int runs_in_row = 0;
  std::vector<Row> rows;  ///< of the output
  float step_x = 1, offset_x = 0, scale_x = 1, scale_y = 1, shift_x = 0, shift_y = 0, margin = 0;
  float gain = 1, max = 255, black = 0;
  const DeviceKernels* kernels = nullptr;
};

/// Writes all samples but those of exact cells, which are left with something. Throws DeviceFailure; the
/// output may then be written in part.
void placeOnDevice(Device& device, const PlaceJob& job);

}  // namespace glenhaze::detail
