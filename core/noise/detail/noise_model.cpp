#include "core/noise/detail/noise_model.h"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"

namespace glenhaze::detail {

namespace {

constexpr int kLevels = 256;

// What the octaves of a curve mean for the coefficients of a block.
std::array<float, kBlockArea> spectrumOf(const std::array<double, kNoiseOctaves>& octaves) {
  std::array<float, kBlockArea> spectrum{};
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x)
      spectrum[static_cast<size_t>(y * kBlock + x)] =
          static_cast<float>(std::max(1e-3, octaves[octaveOf(x, y)]));
  return spectrum;
}

}  // namespace

std::shared_ptr<const NoiseModel> noiseModel(NoiseCurve curve, double luma, double chroma) {
  auto model = std::make_shared<NoiseModel>();
  for (size_t c = 0; c < 3; ++c) {
    model->spectrum[c] = spectrumOf(curve.octaves[c]);
    expectedEnergies(model->spectrum[c].data(), model->expected[c]);
    const double strength = c == 0 ? luma : chroma;
    for (int level = 0; level < kLevels; ++level)
      model->variance[c][static_cast<size_t>(level)] =
          static_cast<float>(std::pow(strength * curve.sigmaAt(static_cast<int>(c), level), 2));
  }
  model->motion_sigma = static_cast<float>(curve.sigmaAt(0, 110));
  model->curve = std::move(curve);
  return model;
}

std::vector<float> blockVariances(const NoiseModel& noise, const SamplePlane& luma, int channel, int sx,
                                  int sy, int columns, int rows, float coded) {
  const auto& table = noise.variance[static_cast<size_t>(channel)];
  // Means over cells of half a block; a block is the mean of four.
  const int cell_columns = columns + 1, cell_rows = rows + 1;
  std::vector<float> cells(static_cast<size_t>(cell_columns) * static_cast<size_t>(cell_rows));
  parallelBlocks(cell_rows, 8, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int column = 0; column < cell_columns; ++column) {
        const int x0 = (column * kStep - kStep) << sx, y0 = (row * kStep - kStep) << sy;
        float sum = 0;
        // Every other sample of every other row is enough for a mean.
        for (int y = 0; y < kStep << sy; y += 2 << sy)
          for (int x = 0; x < kStep << sx; x += 2 << sx) {
            const int cy = std::clamp(y0 + y, 0, luma.height - 1), cx = std::clamp(x0 + x, 0, luma.width - 1);
            const int code = (luma.row(cy)[cx] + kSampleUnit / 2) / kSampleUnit;
            sum += table[static_cast<size_t>(std::min(code, kLevels - 1))];
          }
        cells[static_cast<size_t>(row) * static_cast<size_t>(cell_columns) + static_cast<size_t>(column)] =
            sum / 16 + coded;
      }
  });
  std::vector<float> blocks(static_cast<size_t>(columns) * static_cast<size_t>(rows));
  for (int row = 0; row < rows; ++row)
    for (int column = 0; column < columns; ++column) {
      const float* cell = cells.data() + static_cast<ptrdiff_t>(row) * cell_columns + column;
      blocks[static_cast<size_t>(row) * static_cast<size_t>(columns) + static_cast<size_t>(column)] =
          (cell[0] + cell[1] + cell[cell_columns] + cell[cell_columns + 1]) / 4;
    }
  return blocks;
}

}  // namespace glenhaze::detail
