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

std::vector<float> blockVariances(const NoiseModel& noise, const SamplePlane& luma, const BlockGrid& grid,
                                  float coded) {
  const auto& table = noise.variance[static_cast<size_t>(grid.channel)];
  const auto [channel, sx, sy, columns, rows] = grid;
  // Means over cells of half a block; a block is the mean of four.
  const int cell_columns = columns + 1, cell_rows = rows + 1;
  std::vector<float> cells(static_cast<size_t>(cell_columns) * static_cast<size_t>(cell_rows));
  parallelBlocks(cell_rows, 4, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int column = 0; column < cell_columns; ++column) {
        const int x0 = (column * kStep - kStep) << sx, y0 = (row * kStep - kStep) << sy;
        const bool inside =
            x0 >= 0 && y0 >= 0 && x0 + (kStep << sx) <= luma.width && y0 + (kStep << sy) <= luma.height;
        float sum = 0;
        // Every other sample of every other row is enough for a mean.
        for (int y = 0; y < kStep << sy; y += 2 << sy) {
          const int16_t* line = luma.row(inside ? y0 + y : std::clamp(y0 + y, 0, luma.height - 1));
          for (int x = 0; x < kStep << sx; x += 2 << sx) {
            const int16_t sample = line[inside ? x0 + x : std::clamp(x0 + x, 0, luma.width - 1)];
            sum +=
                table[static_cast<size_t>(std::min((sample + kSampleUnit / 2) / kSampleUnit, kLevels - 1))];
          }
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

namespace {

// Mean of what a block of `grid` covers of a plane with other subsampling (`sx`, `sy` as log2), 8-bit codes.
float meanUnder(const SamplePlane& plane, const BlockGrid& grid, int column, int row, int sx, int sy) {
  const int x0 = ((column - 1) * kStep << grid.sx) >> sx, y0 = ((row - 1) * kStep << grid.sy) >> sy,
            width = std::max(1, (kBlock << grid.sx) >> sx), height = std::max(1, (kBlock << grid.sy) >> sy);
  int sum = 0, count = 0;
  if (x0 >= 0 && y0 >= 0 && x0 + width <= plane.width && y0 + height <= plane.height) {
    for (int y = 0; y < height; y += 2) {
      const int16_t* line = plane.row(y0 + y) + x0;
      for (int x = 0; x < width; x += 2) sum += line[x];
    }
    count = ((width + 1) / 2) * ((height + 1) / 2);
    return static_cast<float>(sum) / static_cast<float>(count * kSampleUnit);
  }
  for (int y = 0; y < height; y += 2)
    for (int x = 0; x < width; x += 2) {
      sum += plane.row(std::clamp(y0 + y, 0, plane.height - 1))[std::clamp(x0 + x, 0, plane.width - 1)];
      ++count;
    }
  return static_cast<float>(sum) / static_cast<float>(count * kSampleUnit);
}

}  // namespace

std::vector<BlockColour> blockColours(const std::array<SamplePlane, 3>& planes, const BlockGrid& grid,
                                      const BlockGrid& chroma, const PrimaryCodes& codes) {
  std::vector<BlockColour> colours(static_cast<size_t>(grid.columns) * static_cast<size_t>(grid.rows));
  parallelBlocks(grid.rows, 4, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int column = 0; column < grid.columns; ++column) {
        const float luma = meanUnder(planes[0], grid, column, row, 0, 0);
        colours[static_cast<size_t>(row) * static_cast<size_t>(grid.columns) + static_cast<size_t>(column)] =
            {luma, codes.of(luma, meanUnder(planes[1], grid, column, row, chroma.sx, chroma.sy),
                            meanUnder(planes[2], grid, column, row, chroma.sx, chroma.sy))};
      }
  });
  return colours;
}

std::vector<float> colourFactors(const NoiseModel& noise, int channel,
                                 const std::vector<BlockColour>& colours) {
  const auto& table = noise.variance[static_cast<size_t>(channel)];
  const auto& shares = noise.curve.primaries[static_cast<size_t>(channel)];
  const auto at = [&](float code) {
    return table[static_cast<size_t>(std::clamp(static_cast<int>(code + 0.5F), 0, kLevels - 1))];
  };
  std::vector<float> factors(colours.size());
  constexpr int kAtOnce = 512;
  parallelBlocks(static_cast<int>(colours.size()), kAtOnce, [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const BlockColour& colour = colours[static_cast<size_t>(i)];
      float sum = 0;
      for (size_t p = 0; p < 3; ++p) sum += static_cast<float>(shares[p]) * at(colour.primaries[p]);
      factors[static_cast<size_t>(i)] = sum / std::max(1e-6F, at(colour.luma));
    }
  });
  return factors;
}

}  // namespace glenhaze::detail
