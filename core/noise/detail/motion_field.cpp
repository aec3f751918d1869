#include "core/noise/detail/motion_field.h"

#include <cmath>

#include "core/base/parallel.h"

namespace glenhaze::detail {

int blocksAlong(int samples) { return (samples + kStep - 1) / kStep + 1; }

MotionField calmed(const MotionField& field, const Progress& progress) {
  constexpr int kReach = 2, kRowGrain = 2;
  constexpr float kAgree = 0.5F;
  // Beside each other, with none around, so that a row is done in a few long loops.
  const size_t pitch = static_cast<size_t>(field.columns) + 2 * kReach;
  const size_t padded = pitch * (static_cast<size_t>(field.rows) + 2 * kReach);
  std::vector<float> xs(padded), ys(padded), sure(padded);
  const auto index = [&](int column, int row) {
    return static_cast<size_t>(row + kReach) * pitch + static_cast<size_t>(column + kReach);
  };
  for (int row = 0; row < field.rows; ++row)
    for (int column = 0; column < field.columns; ++column) {
      const BlockVector& v = field.at(column, row);
      const size_t i = index(column, row);
      xs[i] = v.dx;
      ys[i] = v.dy;
      // Every other one, as on a chessboard: those between are means of these already.
      sure[i] = (column + row) % 2 == 0 ? v.sure : 0;
    }
  MotionField out = field;
  parallelBlocks(field.rows, kRowGrain, [&](int first, int last) {
    progress.check();
    const auto columns = static_cast<size_t>(field.columns);
    std::vector<float> dx(columns), dy(columns), weight(columns);
    for (int row = first; row < last; ++row) {
      std::fill(dx.begin(), dx.end(), 0.0F);
      std::fill(dy.begin(), dy.end(), 0.0F);
      std::fill(weight.begin(), weight.end(), 0.0F);
      const float *own_x = &xs[index(0, row)], *own_y = &ys[index(0, row)];
      for (int r = -kReach; r <= kReach; ++r)
        for (int c = -kReach; c <= kReach; ++c) {
          const size_t at = index(c, row + r);
          const float *other_x = &xs[at], *other_y = &ys[at], *other_sure = &sure[at];
          float *to_x = dx.data(), *to_y = dy.data(), *to_weight = weight.data();
#pragma GCC ivdep
          for (size_t i = 0; i < columns; ++i) {
            const float x = other_x[i] - own_x[i], y = other_y[i] - own_y[i], s = other_sure[i];
            const float w = std::max(std::abs(x), std::abs(y)) <= kAgree ? s : 0.0F;
            to_x[i] += w * x;
            to_y[i] += w * y;
            to_weight[i] += w;
          }
        }
      BlockVector* to = &out.vectors[static_cast<size_t>(row) * columns];
      for (size_t i = 0; i < columns; ++i)
        if (weight[i] > 0) to[i] = {own_x[i] + dx[i] / weight[i], own_y[i] + dy[i] / weight[i], to[i].sure};
    }
  });
  return out;
}

MotionField chained(const MotionField& first, const MotionField& second) {
  MotionField out = first;
  for (int row = 0; row < out.rows; ++row)
    for (int column = 0; column < out.columns; ++column) {
      BlockVector& v = out.vectors[static_cast<size_t>(row) * static_cast<size_t>(out.columns) +
                                   static_cast<size_t>(column)];
      const auto along = [](int at, float by, int count) {
        return std::clamp(at + nearest(by / kStep), 0, count - 1);
      };
      const BlockVector on = second.at(along(column, v.dx, out.columns), along(row, v.dy, out.rows));
      v = {v.dx + on.dx, v.dy + on.dy, std::min(v.sure, on.sure)};
    }
  return out;
}

MotionField turnedAround(const MotionField& field) {
  MotionField out = field;
  for (BlockVector& v : out.vectors) v = {-v.dx, -v.dy, v.sure};
  return out;
}

}  // namespace glenhaze::detail
