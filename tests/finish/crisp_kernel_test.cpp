// The rows of Crispness against the same in plain words, sample by sample: no instruction set may differ in a
// single bit, at any width.
#include "core/finish/detail/crisp_kernel.h"

#include <gtest/gtest.h>
#include <hwy/highway.h>

#include <algorithm>
#include <random>
#include <vector>

namespace glenhaze::detail {
namespace {

constexpr int kMostWidth = 70;

// A row of luma with what lies beside it.
class PaddedRow {
 public:
  explicit PaddedRow(unsigned seed) : samples_(kMostWidth + 2 * kCrispPad) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> luma(-4, 260);
    for (float& s : samples_) s = luma(random);
  }
  const float* get() const { return samples_.data() + kCrispPad; }

 private:
  std::vector<float> samples_;
};

std::vector<PaddedRow> rowsFrom(unsigned seed, size_t count) {
  std::vector<PaddedRow> rows;
  for (unsigned i = 0; i < count; ++i) rows.emplace_back(seed + i);
  return rows;
}

// A sample behind the row must stay as it was.
constexpr float kUntouched = -12345;
std::vector<float> target(int width) {
  return std::vector<float>(static_cast<size_t>(width) + 1, kUntouched);
}

class CrispKernel : public ::testing::TestWithParam<int64_t> {
 protected:
  CrispKernel() { hwy::SetSupportedTargetsForTest(GetParam()); }
  ~CrispKernel() override { hwy::SetSupportedTargetsForTest(0); }
  template <typename F>
  static void atEachWidth(F f) {
    for (const int width : {1, 3, 7, 8, 15, 16, 17, 33, kMostWidth}) {
      SCOPED_TRACE(width);
      f(width);
      if (HasFatalFailure()) return;
    }
  }
};

TEST_P(CrispKernel, BlursAlongAsTheSumSays) {
  atEachWidth([](int width) {
    const PaddedRow row(1);
    for (size_t reach = 0; reach <= kMostReach; ++reach) {
      std::vector<float> taps(reach + 1), to = target(width);
      for (size_t i = 0; i <= reach; ++i) taps[i] = 1.0F / static_cast<float>(3 + 2 * i);
      blurAlong(row.get(), width, taps, to.data());
      for (int x = 0; x < width; ++x) {
        float sum = taps[0] * row.get()[x];
        for (int i = 1; i <= static_cast<int>(reach); ++i)
          sum += taps[static_cast<size_t>(i)] * (row.get()[x - i] + row.get()[x + i]);
        ASSERT_EQ(to[static_cast<size_t>(x)], sum) << "reach " << reach << ", sample " << x;
      }
      EXPECT_EQ(to.back(), kUntouched);
    }
  });
}

TEST_P(CrispKernel, TakesSharpeningBackAsTheSumSays) {
  atEachWidth([](int width) {
    const PaddedRow filmed(2);
    for (int reach = 0; reach <= kMostReach; ++reach) {
      const std::vector<PaddedRow> rows = rowsFrom(10, static_cast<size_t>(2 * reach + 1));
      std::vector<const float*> about;
      for (const PaddedRow& row : rows) about.push_back(row.get());
      std::vector<float> taps(static_cast<size_t>(reach) + 1, 0.1F), to = target(width);
      taps[0] = 0.4F;
      constexpr float kAmount = 0.7F, kShare = 1 / 1.7F;
      sharpenLess(about, filmed.get(), width, taps, kAmount, kShare, to.data());
      for (int x = 0; x < width; ++x) {
        float sum = taps[0] * about[static_cast<size_t>(reach)][x];
        for (int i = 1; i <= reach; ++i)
          sum += taps[static_cast<size_t>(i)] *
                 (about[static_cast<size_t>(reach - i)][x] + about[static_cast<size_t>(reach + i)][x]);
        ASSERT_EQ(to[static_cast<size_t>(x)], kShare * (filmed.get()[x] + kAmount * sum))
            << "reach " << reach << ", sample " << x;
      }
      EXPECT_EQ(to.back(), kUntouched);
    }
  });
}

TEST_P(CrispKernel, FineDetailIsWhatTheBinomialTakes) {
  atEachWidth([](int width) {
    const std::vector<PaddedRow> along = rowsFrom(20, 5);
    const PaddedRow middle(3);
    std::vector<float> blurred = target(width), fine = target(width);
    blurFinely(middle.get(), width, blurred.data());
    fineDetail({along[0].get(), along[1].get(), along[2].get(), along[3].get(), along[4].get()}, middle.get(),
               width, fine.data());
    const auto binomial = [](float a, float b, float c, float d, float e) {
      return 1.0F / 16 * (a + e) + 4.0F / 16 * (b + d) + 6.0F / 16 * c;
    };
    for (int x = 0; x < width; ++x) {
      const float* at = middle.get() + x;
      ASSERT_EQ(blurred[static_cast<size_t>(x)], binomial(at[-2], at[-1], at[0], at[1], at[2]));
      ASSERT_EQ(fine[static_cast<size_t>(x)],
                at[0] - binomial(along[0].get()[x], along[1].get()[x], along[2].get()[x], along[3].get()[x],
                                 along[4].get()[x]));
    }
    EXPECT_EQ(blurred.back(), kUntouched);
    EXPECT_EQ(fine.back(), kUntouched);
  });
}

TEST_P(CrispKernel, CrispensWhereTheNoiseIsExceeded) {
  atEachWidth([](int width) {
    const std::vector<PaddedRow> detail = rowsFrom(30, 3), luma = rowsFrom(40, 3);
    std::vector<std::vector<float>> energy(3, target(width)), low = energy, high = energy;
    for (size_t i = 0; i < 3; ++i) {
      lookAlong(detail[i].get(), luma[i].get(), width, energy[i].data(), low[i].data(), high[i].data());
      EXPECT_EQ(energy[i].back(), kUntouched);
      for (int x = 0; x < width; ++x) {
        const float *d = detail[i].get() + x, *l = luma[i].get() + x;
        const auto at = static_cast<size_t>(x);
        ASSERT_EQ(energy[i][at], d[-1] * d[-1] + 2 * d[0] * d[0] + d[1] * d[1]);
        ASSERT_EQ(low[i][at], std::min({l[-1], l[0], l[1]}));
        ASSERT_EQ(high[i][at], std::max({l[-1], l[0], l[1]}));
      }
    }
    // Noise that much detail stays under, some exceeds in part, and some by far.
    std::array<float, 16> variance{};
    for (size_t i = 0; i < variance.size(); ++i) variance[i] = 500.0F * static_cast<float>(1 + i);
    std::vector<float> to = target(width);
    constexpr float kAmount = 0.5F, kHalo = 6;
    crispenRow({{energy[0].data(), energy[1].data(), energy[2].data()},
                {low[0].data(), low[1].data(), low[2].data()},
                {high[0].data(), high[1].data(), high[2].data()},
                detail[1].get(),
                luma[1].get()},
               variance, width, kAmount, kHalo, to.data());
    for (int x = 0; x < width; ++x) {
      const auto at = static_cast<size_t>(x);
      const float own = luma[1].get()[x];
      const float noise = variance[static_cast<size_t>(std::clamp(static_cast<int>(own / 16), 0, 15))];
      const float share = std::clamp(
          ((energy[0][at] + energy[1][at] + energy[2][at]) / (12 * noise) - 4) * (1.0F / 12), 0.0F, 1.0F);
      const float least = std::min({low[0][at], low[1][at], low[2][at]}) - kHalo,
                  most = std::max({high[0][at], high[1][at], high[2][at]}) + kHalo;
      ASSERT_EQ(to[at], std::clamp(own + kAmount * share * detail[1].get()[x], least, most)) << x;
    }
    EXPECT_EQ(to.back(), kUntouched);
  });
}

// Nought: the best that this processor has.
INSTANTIATE_TEST_SUITE_P(Sets, CrispKernel, ::testing::Values(0, HWY_SCALAR, HWY_SSE4, HWY_AVX2));

}  // namespace
}  // namespace glenhaze::detail
