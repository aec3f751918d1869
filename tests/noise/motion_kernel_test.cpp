// The loops of the search for motion against the same in plain words, for every instruction set.
#include "core/noise/detail/motion_kernel.h"

#include <gtest/gtest.h>
#include <hwy/highway.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>
#include <vector>

#include "core/noise/detail/motion_field.h"
#include "core/noise/detail/planes.h"

namespace glenhaze::detail {
namespace {

constexpr int kSide = 64, kMiddle = 24;

template <typename T>
std::vector<T> scattered(unsigned seed, int least, int most) {
  std::mt19937 random(seed);
  std::uniform_int_distribution<int> sample(least, most);
  std::vector<T> samples(kSide * kSide);
  for (T& s : samples) s = static_cast<T>(sample(random));
  return samples;
}

template <typename T>
int plainDifference(const T* a, const T* b, int width, int height) {
  int sum = 0;
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) sum += std::abs(a[y * kSide + x] - b[y * kSide + x]);
  return sum;
}

template <typename T>
const T* middle(const std::vector<T>& samples) {
  return samples.data() + kMiddle * kSide + kMiddle;
}

class MotionKernel : public ::testing::TestWithParam<int64_t> {
 protected:
  MotionKernel() { hwy::SetSupportedTargetsForTest(GetParam()); }
  ~MotionKernel() override { hwy::SetSupportedTargetsForTest(0); }
  // Bytes of all values, so that nothing may overflow.
  const std::vector<uint8_t> bytes_ = scattered<uint8_t>(1, 0, 255), others_ = scattered<uint8_t>(2, 0, 255);
};

TEST_P(MotionKernel, AddsUpWhatBlocksDifferBy) {
  const MotionKernels kernels = motionKernels();
  for (int shift = -5; shift <= 5; ++shift)
    EXPECT_EQ(kernels.block_difference(middle(bytes_), kSide, middle(others_) + shift, kSide),
              plainDifference(middle(bytes_), middle(others_) + shift, kBlock, kBlock));
  const std::vector<uint8_t> black(kSide * kSide, 0), white(kSide * kSide, 255);
  EXPECT_EQ(kernels.block_difference(middle(black), kSide, middle(white), kSide), 255 * kBlock * kBlock);
}

TEST_P(MotionKernel, AddsUpWhatTwoCellsDifferByRowByRow) {
  constexpr int kReach = 12, kRow = 2 * kReach + 1;
  std::vector<uint16_t> left(kRow * kRow), right(kRow * kRow);
  motionKernels().cell_differences(middle(bytes_), kSide, middle(others_), kSide, kReach, left.data(),
                                   right.data());
  for (int dy = -kReach; dy <= kReach; ++dy)
    for (int dx = -kReach; dx <= kReach; ++dx) {
      const auto k = static_cast<size_t>((dy + kReach) * kRow + dx + kReach);
      const uint8_t* to = middle(others_) + dy * kSide + dx;
      ASSERT_EQ(left[k], plainDifference(middle(bytes_), to, kStep, kStep)) << dx << " " << dy;
      ASSERT_EQ(right[k], plainDifference(middle(bytes_) + kStep, to + kStep, kStep, kStep));
    }
}

TEST_P(MotionKernel, TakesTheCheapestAndOfEqualOnesTheFirst) {
  constexpr int kCount = 4 * kCheapestAtOnce;
  std::mt19937 random(3);
  const auto sums = [&] {
    std::vector<uint16_t> cell(kCount);
    // Few values, so that many cost the same.
    for (uint16_t& c : cell) c = static_cast<uint16_t>(16000 + random() % 3);
    return cell;
  };
  for (int round = 0; round < 50; ++round) {
    const std::array cells{sums(), sums(), sums(), sums()};
    std::vector<float> leave(kCount), away(kCount), costs(kCount);
    const auto before = static_cast<int>(random() % kCount);
    for (size_t k = 0; k < kCount; ++k) {
      leave[k] = static_cast<int>(k) == before ? 0.0F : 0.5F;
      away[k] = 0.25F * static_cast<float>(random() % 4);
      costs[k] =
          static_cast<float>(cells[0][k] + cells[1][k] + cells[2][k] + cells[3][k]) + leave[k] + away[k];
    }
    const auto least = std::min_element(costs.begin(), costs.end());
    const auto wanted = costs[static_cast<size_t>(before)] <= *least ? before : least - costs.begin();
    const std::array rows{cells[0].data(), cells[1].data(), cells[2].data(), cells[3].data()};
    EXPECT_EQ(motionKernels().cheapest(rows.data(), leave.data(), away.data(), kCount, before), wanted);
  }
}

// Softened samples: 14 bits in steps of 1/kSoftUnit.
TEST_P(MotionKernel, AddsUpWhatSoftCellsDifferBy) {
  const auto soft = scattered<int16_t>(4, 0, 255 * kSoftUnit),
             other = scattered<int16_t>(5, 0, 255 * kSoftUnit);
  EXPECT_EQ(motionKernels().cell_sum(middle(soft), kSide, middle(other), kSide),
            plainDifference(middle(soft), middle(other), kStep, kStep));
}

TEST_P(MotionKernel, AddsUpOneStepTowardsTheMotion) {
  const auto from = scattered<int16_t>(6, 90 * kSoftUnit, 160 * kSoftUnit),
             to = scattered<int16_t>(7, 90 * kSoftUnit, 160 * kSoftUnit);
  const auto step_sums = motionKernels().gradient_sums;
  for (const auto& [fx, fy] : {std::pair{0.0F, 0.0F}, std::pair{0.25F, 0.8F}, std::pair{1.0F, 0.5F}}) {
    std::array<double, 6> wanted{};
    for (int y = 0; y < kBlock; ++y)
      for (int x = 0; x < kBlock; ++x) {
        const int16_t *p = middle(from) + y * kSide + x, *q = middle(to) + y * kSide + x;
        const double gx = (p[1] - p[-1]) / (2.0 * kSoftUnit), gy = (p[kSide] - p[-kSide]) / (2.0 * kSoftUnit);
        const double upper = q[0] + fx * (q[1] - q[0]), lower = q[kSide] + fx * (q[kSide + 1] - q[kSide]);
        const double d = (p[0] - (upper + fy * (lower - upper))) / kSoftUnit;
        const std::array products{gx * gx, gx * gy, gy * gy, gx * d, gy * d, d * d};
        for (size_t i = 0; i < 6; ++i) wanted[i] += products[i];
      }
    std::array<float, 6> sums{};
    step_sums(middle(from), kSide, middle(to), kSide, fx, fy, false, sums.data());
    // Differences are rounded to a step of 1/kSoftUnit: noise of a thousandth of what is summed.
    const double scale = wanted[0] + wanted[2];
    for (size_t i = 0; i < 6; ++i) EXPECT_NEAR(sums[i], wanted[i], 1e-3 * scale) << i << " at " << fx;
    std::array<float, 6> again = sums;
    std::fill(again.begin() + 3, again.end(), -1.0F);
    step_sums(middle(from), kSide, middle(to), kSide, fx, fy, true, again.data());
    EXPECT_EQ(again, sums);
  }
}

INSTANTIATE_TEST_SUITE_P(Sets, MotionKernel, ::testing::Values(0, HWY_SCALAR, HWY_SSE4, HWY_AVX2));

}  // namespace
}  // namespace glenhaze::detail
