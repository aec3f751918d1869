#include "core/noise/detail/guide.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/parallel.h"

namespace glenhaze::detail {

namespace {

// What blocks around it say of a cell: their mean where they agree, else the one that fits the cell best.
BlockVector cellVector(const MotionField& field, const CellDifference& difference, int column, int row) {
  const int c0 = std::max(column - 1, 0), c1 = std::min(column, field.columns - 1);
  const int r0 = std::max(row - 1, 0), r1 = std::min(row, field.rows - 1);
  const std::array around{field.at(c0, r0), field.at(c1, r0), field.at(c0, r1), field.at(c1, r1)};
  if (const auto mean = agreement(around)) return *mean;
  return bestOf(around, [&](int dx, int dy) {
    return difference.of(column * kStep - kStep, row * kStep - kStep, dx, dy);
  });
}

}  // namespace

std::vector<BlockVector> cellVectors(const MotionField& field, const SamplePlane& from,
                                     const SamplePlane& to) {
  const int columns = field.columns + 1, rows = field.rows + 1;
  std::vector<BlockVector> cells(static_cast<size_t>(columns) * static_cast<size_t>(rows));
  const CellDifference difference(from, to);
  parallelBlocks(rows, 4, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int column = 0; column < columns; ++column)
        cells[static_cast<size_t>(row) * static_cast<size_t>(columns) + static_cast<size_t>(column)] =
            cellVector(field, difference, column, row);
  });
  return cells;
}

// Cell k begins at sample 8(k − 1); what it covers of luma begins at cell ((k − 1) << shift) + 1.
PlaneGuide subsampled(const PlaneGuide& luma, int luma_columns, int luma_rows, int columns, int rows, int sx,
                      int sy) {
  PlaneGuide guide;
  const int wide = (1 << sx) - 1, high = (1 << sy) - 1;
  const auto eachRow = [](int count, auto body) {
    parallelBlocks(count, 4, [&](int first, int last) {
      for (int row = first; row < last; ++row) body(row);
    });
  };
  for (size_t n = 0; n < luma.cells.size(); ++n) {
    const auto cellAt = [&](int c, int r) {
      return luma
          .cells[n][static_cast<size_t>(std::clamp(r, 0, luma_rows)) * static_cast<size_t>(luma_columns + 1) +
                    static_cast<size_t>(std::clamp(c, 0, luma_columns))];
    };
    std::vector<BlockVector> cells(static_cast<size_t>(columns + 1) * static_cast<size_t>(rows + 1));
    eachRow(rows + 1, [&](int row) {
      for (int column = 0; column <= columns; ++column) {
        const int c0 = ((column - 1) << sx) + 1, r0 = ((row - 1) << sy) + 1;
        BlockVector sum;
        for (int j = 0; j <= high; ++j)
          for (int i = 0; i <= wide; ++i) {
            const BlockVector v = cellAt(c0 + i, r0 + j);
            sum = {sum.dx + v.dx, sum.dy + v.dy};
          }
        const BlockVector one = cellAt(c0, r0);
        const auto count = static_cast<float>((1 + wide) * (1 + high));
        BlockVector v{sum.dx / count, sum.dy / count};
        // A mean across an edge of motion would be the motion of neither side.
        if (std::abs(v.dx - one.dx) + std::abs(v.dy - one.dy) > 1) v = one;
        cells[static_cast<size_t>(row) * static_cast<size_t>(columns + 1) + static_cast<size_t>(column)] = {
            v.dx / static_cast<float>(1 << sx), v.dy / static_cast<float>(1 << sy)};
      }
    });
    std::vector<float> trust(static_cast<size_t>(columns) * static_cast<size_t>(rows), 1.0F);
    eachRow(rows, [&](int row) {
      for (int column = 0; column < columns; ++column) {
        // The luma blocks that lie within this one's area.
        const int c0 = ((column - 1) << sx) + 1, r0 = ((row - 1) << sy) + 1;
        float& least =
            trust[static_cast<size_t>(row) * static_cast<size_t>(columns) + static_cast<size_t>(column)];
        for (int j = 0; j <= 2 * high; ++j)
          for (int i = 0; i <= 2 * wide; ++i)
            least =
                std::min(least, luma.trust[n][static_cast<size_t>(std::clamp(r0 + j, 0, luma_rows - 1)) *
                                                  static_cast<size_t>(luma_columns) +
                                              static_cast<size_t>(std::clamp(c0 + i, 0, luma_columns - 1))]);
      }
    });
    guide.cells.push_back(std::move(cells));
    guide.trust.push_back(std::move(trust));
  }
  return guide;
}

}  // namespace glenhaze::detail
