#include "core/noise/detail/block_kernel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/noise/detail/block_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <cmath>

// The loops below are plain and of fixed length; each is compiled once per instruction set and chosen at
// run time.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {
namespace {

constexpr int kHalf = kBlock / 2;

struct alignas(64) Block {
  float v[kBlock][kBlock];
};

// Orthonormal cosine transform, its even and odd halves, and transposed for the second direction.
struct alignas(64) CosineTable {
  float even[kHalf][kHalf];
  float odd[kHalf][kHalf];
  float whole[kBlock][kBlock];       // [frequency][position]
  float transposed[kBlock][kBlock];  // [position][frequency]
};

const CosineTable& cosines() {
  static const CosineTable table = [] {
    CosineTable t;
    for (int f = 0; f < kBlock; ++f)
      for (int n = 0; n < kBlock; ++n) {
        const double scale = f == 0 ? std::sqrt(1.0 / kBlock) : std::sqrt(2.0 / kBlock);
        const auto value =
            static_cast<float>(scale * std::cos(3.14159265358979323846 * (n + 0.5) * f / kBlock));
        t.whole[f][n] = value;
        t.transposed[n][f] = value;
        if (n < kHalf) (f % 2 == 0 ? t.even : t.odd)[f / 2][n] = value;
      }
    return t;
  }();
  return table;
}

// Columns of `in`, then rows: coefficients [vertical frequency][horizontal frequency].
void forward(const CosineTable& t, const float* HWY_RESTRICT in, ptrdiff_t stride, Block& out) {
  Block sum, half;
  for (int n = 0; n < kHalf; ++n) {
    const float* HWY_RESTRICT a = in + n * stride;
    const float* HWY_RESTRICT b = in + (kBlock - 1 - n) * stride;
    for (int x = 0; x < kBlock; ++x) {
      sum.v[n][x] = a[x] + b[x];
      sum.v[n + kHalf][x] = a[x] - b[x];
    }
  }
  for (int f = 0; f < kHalf; ++f) {
    float even[kBlock] = {}, odd[kBlock] = {};
    for (int n = 0; n < kHalf; ++n) {
      const float ce = t.even[f][n], co = t.odd[f][n];
      for (int x = 0; x < kBlock; ++x) {
        even[x] += ce * sum.v[n][x];
        odd[x] += co * sum.v[n + kHalf][x];
      }
    }
    for (int x = 0; x < kBlock; ++x) {
      half.v[2 * f][x] = even[x];
      half.v[2 * f + 1][x] = odd[x];
    }
  }
  for (int y = 0; y < kBlock; ++y) {
    float row[kBlock] = {};
    for (int n = 0; n < kBlock; ++n) {
      const float s = half.v[y][n];
      for (int f = 0; f < kBlock; ++f) row[f] += s * t.transposed[n][f];
    }
    for (int f = 0; f < kBlock; ++f) out.v[y][f] = row[f];
  }
}

void backward(const CosineTable& t, const Block& in, Block& out) {
  Block half;
  for (int y = 0; y < kBlock; ++y) {
    float row[kBlock] = {};
    for (int f = 0; f < kBlock; ++f) {
      const float s = in.v[y][f];
      for (int n = 0; n < kBlock; ++n) row[n] += s * t.whole[f][n];
    }
    for (int n = 0; n < kBlock; ++n) half.v[y][n] = row[n];
  }
  for (int n = 0; n < kHalf; ++n) {
    float even[kBlock] = {}, odd[kBlock] = {};
    for (int f = 0; f < kHalf; ++f) {
      const float ce = t.even[f][n], co = t.odd[f][n];
      for (int x = 0; x < kBlock; ++x) {
        even[x] += ce * half.v[2 * f][x];
        odd[x] += co * half.v[2 * f + 1][x];
      }
    }
    for (int x = 0; x < kBlock; ++x) {
      out.v[n][x] = even[x] + odd[x];
      out.v[kBlock - 1 - n][x] = even[x] - odd[x];
    }
  }
}

// A block at a fraction of a sample.
void fetch(const float* HWY_RESTRICT at, ptrdiff_t stride, const float* HWY_RESTRICT tx,
           const float* HWY_RESTRICT ty, Block& out) {
  constexpr int kBefore = kTaps / 2 - 1, kRows = kBlock + kTaps - 1;
  alignas(64) float wide[kRows][kBlock];
  const float* HWY_RESTRICT from = at - kBefore * stride - kBefore;
  for (int y = 0; y < kRows; ++y) {
    float row[kBlock] = {};
    for (int k = 0; k < kTaps; ++k) {
      const float w = tx[k];
      for (int x = 0; x < kBlock; ++x) row[x] += w * from[x + k];
    }
    for (int x = 0; x < kBlock; ++x) wide[y][x] = row[x];
    from += stride;
  }
  for (int y = 0; y < kBlock; ++y) {
    float row[kBlock] = {};
    for (int k = 0; k < kTaps; ++k) {
      const float w = ty[k];
      for (int x = 0; x < kBlock; ++x) row[x] += w * wide[y + k][x];
    }
    for (int x = 0; x < kBlock; ++x) out.v[y][x] = row[x];
  }
}

// Octaves of a block's coefficients by the larger of both frequencies: 0, 1, 2–3, 4–7, 8–15.
constexpr int kBands = 5;
constexpr int kBandStart[kBands + 1] = {0, 1, 2, 4, 8, 16};

// Mean of `e` in each octave: differences of sums over squares from the origin.
void bandMeans(const Block& e, float* HWY_RESTRICT means) {
  float square[kBands];
  float columns[kBlock] = {};
  for (int b = 0; b < kBands; ++b) {
    for (int y = kBandStart[b]; y < kBandStart[b + 1]; ++y)
      for (int x = 0; x < kBlock; ++x) columns[x] += e.v[y][x];
    float sum = 0;
    for (int x = 0; x < kBandStart[b + 1]; ++x) sum += columns[x];
    square[b] = sum;
  }
  means[0] = square[0];
  for (int b = 1; b < kBands; ++b)
    means[b] = (square[b] - square[b - 1]) /
               static_cast<float>(kBandStart[b + 1] * kBandStart[b + 1] - kBandStart[b] * kBandStart[b]);
}

// Chance alone scatters the mean of n squares by √(2/n).
constexpr float kChance[kBands] = {1.4142F, 0.8165F, 0.4082F, 0.2041F, 0.1021F};
constexpr float kMeanChance = 0.0884F;

// How much a neighbour weighs against the middle: the inverse of its error's variance, which is noise plus
// what it differs beyond noise.
void weigh(const Block& difference, const Block& inverse_noise, float tolerance, float trust_in,
           Block& weight, float& trust) {
  Block e;
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x)
      e.v[y][x] = difference.v[y][x] * difference.v[y][x] * (0.5F * inverse_noise.v[y][x]);
  float means[kBands];
  bandMeans(e, means);
  float all = 0;
  for (int b = 0; b < kBands; ++b)
    all +=
        means[b] * static_cast<float>(kBandStart[b + 1] * kBandStart[b + 1] - kBandStart[b] * kBandStart[b]);
  all -= means[0];
  all /= static_cast<float>(kBlockArea - 1);
  const auto beyond = [](float v) { return v > 0 ? v : 0.0F; };
  const float excess_all = beyond(all - 1 - 2 * kMeanChance);
  const float block = trust_in / (1 + 2 * excess_all / tolerance);
  trust = block;
  float band[kBands];
  for (int b = 0; b < kBands; ++b) {
    const float excess = beyond(means[b] - 1 - 1.0F * kChance[b]);
    band[b] = block / (1 + 2.5F * excess / tolerance);
  }
  alignas(64) float across[kBlock];
  for (int y = 0; y < kBlock; ++y) {
    const int by = y == 0 ? 0 : y == 1 ? 1 : y < 4 ? 2 : y < 8 ? 3 : 4;
    for (int b = 0; b < kBands; ++b)
      for (int x = kBandStart[b]; x < kBandStart[b + 1]; ++x) across[x] = band[b > by ? b : by];
    // A single coefficient far beyond chance is something that moved.
    const float far = 8 * tolerance;
    for (int x = 0; x < kBlock; ++x) {
      const float v = e.v[y][x];
      weight.v[y][x] = across[x] * (v > far ? far / v : 1.0F);
    }
  }
}

// Shrinks `c`, whose noise has the variance `noise`, each coefficient by the energy of the 3 × 3 around it.
void shrinkBlock(Block& c, const Block& noise, float amount) {
  Block e, across;
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) e.v[y][x] = c.v[y][x] * c.v[y][x];
  for (int y = 0; y < kBlock; ++y) {
    across.v[y][0] = e.v[y][0] * 2 + e.v[y][1];
    for (int x = 1; x < kBlock - 1; ++x) across.v[y][x] = e.v[y][x - 1] + e.v[y][x] + e.v[y][x + 1];
    across.v[y][kBlock - 1] = e.v[y][kBlock - 2] + 2 * e.v[y][kBlock - 1];
  }
  const float mean = c.v[0][0];
  for (int y = 0; y < kBlock; ++y) {
    const float* HWY_RESTRICT a = across.v[y > 0 ? y - 1 : 0];
    const float* HWY_RESTRICT b = across.v[y];
    const float* HWY_RESTRICT d = across.v[y < kBlock - 1 ? y + 1 : kBlock - 1];
    for (int x = 0; x < kBlock; ++x) {
      const float energy = (a[x] + b[x] + d[x] + 3 * e.v[y][x]) * (1.0F / 12);
      const float kept = energy - amount * noise.v[y][x];
      const float gain = kept > 0 ? kept / energy : 0.0F;
      c.v[y][x] *= gain;
    }
  }
  // The mean of a block is never touched: colours stay.
  c.v[0][0] = mean;
}

}  // namespace

void stripe(const StripeJob& job) {
  const CosineTable& t = cosines();
  Block middle, sum, total, coefficients, weight, spectrum, inverse, fetched, difference;
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) spectrum.v[y][x] = job.spectrum[y * kBlock + x];
  const ptrdiff_t out_stride = static_cast<ptrdiff_t>(job.columns + 1) * kStep;
  for (int column = 0; column < job.columns; ++column) {
    const int x0 = column * kStep - kStep;
    const float* HWY_RESTRICT source = job.plane + job.y * job.stride + x0;
    float* HWY_RESTRICT out = job.out + column * kStep;
    const float variance = job.variance[column];
    if (variance <= 0) {
      for (int y = 0; y < kBlock; ++y)
        for (int x = 0; x < kBlock; ++x)
          out[y * out_stride + x] += job.window[y * kBlock + x] * source[y * job.stride + x];
      continue;
    }
    forward(t, source, job.stride, middle);
    for (int y = 0; y < kBlock; ++y)
      for (int x = 0; x < kBlock; ++x) {
        sum.v[y][x] = middle.v[y][x];
        total.v[y][x] = 1;
        inverse.v[y][x] = 1 / (variance * spectrum.v[y][x]);
      }
    for (int n = 0; n < job.neighbours; ++n) {
      const StripeNeighbour& other = job.neighbour[n];
      const float trust_in = other.trust_in != nullptr ? other.trust_in[column] : 1.0F;
      if (trust_in <= 0.02F) {
        if (other.trust_out != nullptr) other.trust_out[column] = 0;
        continue;
      }
      const float px = static_cast<float>(x0) + other.vectors[column].dx,
                  py = static_cast<float>(job.y) + other.vectors[column].dy;
      const float qx = px * kPhases + 0.5F, qy = py * kPhases + 0.5F;
      // Towards minus infinity: positions in the border are negative.
      int ix = static_cast<int>(qx), iy = static_cast<int>(qy);
      ix -= static_cast<float>(ix) > qx ? 1 : 0;
      iy -= static_cast<float>(iy) > qy ? 1 : 0;
      const int phase_x = ix & (kPhases - 1), phase_y = iy & (kPhases - 1);
      const int sx = ix >> 5, sy = iy >> 5;
      const float* at = other.plane + sy * job.stride + sx;
      if (phase_x == 0 && phase_y == 0) {
        forward(t, at, job.stride, coefficients);
      } else {
        fetch(at, job.stride, job.taps + phase_x * 8, job.taps + phase_y * 8, fetched);
        forward(t, fetched.v[0], kBlock, coefficients);
      }
      for (int y = 0; y < kBlock; ++y)
        for (int x = 0; x < kBlock; ++x) difference.v[y][x] = middle.v[y][x] - coefficients.v[y][x];
      float trust = 0;
      weigh(difference, inverse, job.tolerance, trust_in, weight, trust);
      if (other.trust_out != nullptr) other.trust_out[column] = trust;
      for (int y = 0; y < kBlock; ++y)
        for (int x = 0; x < kBlock; ++x) {
          sum.v[y][x] += weight.v[y][x] * coefficients.v[y][x];
          total.v[y][x] += weight.v[y][x];
        }
    }
    for (int y = 0; y < kBlock; ++y)
      for (int x = 0; x < kBlock; ++x) {
        const float share = 1 / total.v[y][x];
        sum.v[y][x] *= share;
        total.v[y][x] = share * variance * spectrum.v[y][x];
      }
    if (job.shrink > 0) shrinkBlock(sum, total, job.shrink);
    if (job.mix > 0)
      for (int y = 0; y < kBlock; ++y)
        for (int x = 0; x < kBlock; ++x) sum.v[y][x] += job.mix * (middle.v[y][x] - sum.v[y][x]);
    backward(t, sum, fetched);
    for (int y = 0; y < kBlock; ++y)
      for (int x = 0; x < kBlock; ++x)
        out[y * out_stride + x] += job.window[y * kBlock + x] * fetched.v[y][x];
  }
}

void cosinesOf(const float* samples, ptrdiff_t stride, float* coefficients) {
  Block out;
  forward(cosines(), samples, stride, out);
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) coefficients[y * kBlock + x] = out.v[y][x];
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace glenhaze::detail {

HWY_EXPORT(stripe);
HWY_EXPORT(cosinesOf);

void blockCosines(const float* samples, ptrdiff_t stride, float* coefficients) {
  HWY_DYNAMIC_DISPATCH(cosinesOf)(samples, stride, coefficients);
}

void processStripe(const StripeJob& job) { HWY_DYNAMIC_DISPATCH(stripe)(job); }

BlockTables::BlockTables() {
  constexpr double kPi = 3.14159265358979323846;
  for (int p = 0; p < kPhases; ++p) {
    double weights[kTaps], sum = 0;
    for (int k = 0; k < kTaps; ++k) {
      // Lanczos with three lobes.
      const double d = k - (kTaps / 2 - 1) - static_cast<double>(p) / kPhases;
      const double a = kPi * d;
      weights[k] = std::abs(d) < 1e-9 ? 1
                   : std::abs(d) >= 3 ? 0
                                      : 3 * std::sin(a) * std::sin(a / 3) / (a * a);
      sum += weights[k];
    }
    for (int k = 0; k < 8; ++k) taps[p * 8 + k] = k < kTaps ? static_cast<float>(weights[k] / sum) : 0.0F;
  }
  double along[kBlock];
  for (int i = 0; i < kBlock; ++i) along[i] = std::pow(std::sin(kPi * (i + 0.5) / kBlock), 2);
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) window[y * kBlock + x] = static_cast<float>(along[y] * along[x]);
}

}  // namespace glenhaze::detail
#endif
