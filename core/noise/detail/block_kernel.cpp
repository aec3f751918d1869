#include "core/noise/detail/block_kernel.h"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/noise/detail/block_kernel.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/noise/detail/planes.h"

#include "core/noise/detail/cosines-inl.h"
// Needs the one before.
#include "core/noise/detail/cells-inl.h"
#include "core/noise/detail/shrink-inl.h"

// Compiled once per instruction set and chosen at run time.
HWY_BEFORE_NAMESPACE();
namespace glenhaze::detail::HWY_NAMESPACE {
namespace {

// How noisy the picture in the middle and a neighbour are, as shares of the noise as it was filmed.
struct Both {
  BandShares middle, other;
  float sum(int band) const { return middle.band[band] + other.band[band]; }
};

// How a neighbour's difference counts in each octave of a block.
struct Weights {
  float weight[kBands];  ///< against the middle, which weighs 1
  float limit[kBands];   ///< of what it differs by, in variance: what is beyond counts as much as this
  float trust;           ///< in the block as a whole
};

// A neighbour weighs by the inverse of its error's variance, which is its noise plus what it differs beyond
// noise. `means`: what it differs by, squared, over the variance that noise gives it.
HWY_INLINE Weights weigh(const float (&means)[kBands], const Both& shares, float variance, float tolerance,
                         float trust_in) {
  float all = 0;
  for (int b = 1; b < kBands; ++b) all += means[b] * kBandCount[b];
  all /= static_cast<float>(kBlockArea - 1);
  const auto beyond = [](float v) { return v > 0 ? v : 0.0F; };
  const float block = 1 + 2 * beyond(all - 1 - 2 * kMeanChance) / tolerance;
  // A single coefficient far beyond chance is something that moved.
  const float far = 8 * tolerance;
  // The variance of its error over that of the middle's; what differs beyond chance counts in halves, as both
  // may be wrong.
  Weights found;
  for (int b = 0; b < kBands; ++b) {
    const float unlike = block * (1 + 2.5F * beyond(means[b] - 1 - kChance[b]) / tolerance) - 1;
    const float half = 0.5F * shares.sum(b) / shares.middle.band[b];
    found.weight[b] = trust_in / (shares.other.band[b] / shares.middle.band[b] + half * unlike);
    found.limit[b] = far * variance * shares.sum(b);
  }
  found.trust = trust_in / block;
  return found;
}

// What is in work of one group of rows: differences of two rows of cells from each neighbour, and the sums of
// overlapping blocks that are not finished yet.
class RowMerger {
 public:
  RowMerger(const MergeJob& job, int first, int last)
      : job_(job),
        cells_(job.columns + 1),
        pitch_(static_cast<ptrdiff_t>(cells_) * kStep),
        differences_(static_cast<size_t>(2 * job.neighbours) * static_cast<size_t>(kStep * pitch_)),
        energies_(static_cast<size_t>(2 * job.neighbours) * static_cast<size_t>(cells_)),
        sums_(static_cast<size_t>(kBlock * pitch_)) {
    each([&](int y, int x) {
      const Vector s = hn::LoadU(kLanes, job.spectrum + y * kBlock + x);
      hn::Store(s, kLanes, &spectrum_.v[y][x]);
      hn::Store(hn::Div(hn::Set(kLanes, 1), s), kLanes, &one_over_.v[y][x]);
      if (job.shrink != nullptr)
        hn::Store(hn::LoadU(kLanes, job.shrink + y * kBlock + x), kLanes, &amount_.v[y][x]);
    });
    for (int k = 0; k < kScales; ++k)
      for (int b = 0; b < kBands; ++b)
        limit_[b][k] = surelyNoise(job, k) * job.tolerance * job.expected[k][b];
    // The row of blocks before the first only adds its lower half.
    prepareCells(first - 1);
    for (int row = first - 1; row < last; ++row) {
      prepareCells(row + 1);
      // The band above says what is found of its last row, which is worked out here once more.
      tells_ = row >= first || first == kFirstRow;
      for (int column = 0; column < job.columns; ++column) mergeBlock(column, row);
      if (row >= first) finishRow(row);
      std::copy(sums_.begin() + kStep * pitch_, sums_.end(), sums_.begin());
      std::fill(sums_.begin() + kStep * pitch_, sums_.end(), 0.0F);
    }
  }

 private:
  int16_t* differenceAt(int n, int cell_row) {
    return differences_.data() + (2 * n + (cell_row & 1)) * kStep * pitch_;
  }
  CellEnergy* energyAt(int n, int cell_row) { return energies_.data() + (2 * n + (cell_row & 1)) * cells_; }

  // Where a cell can be fetched with all its taps.
  static float held(float at, int samples) {
    constexpr float kLeast = -kBorder + kTaps;
    return std::min(std::max(at, kLeast), static_cast<float>(samples + kBorder - kStep - kTaps));
  }

  void prepareCells(int cell_row) {
    alignas(64) int16_t fetched[kStep * kStep];
    const int y = cell_row * kStep - kStep;
    for (int n = 0; n < job_.neighbours; ++n) {
      const MergeNeighbour& other = job_.neighbour[n];
      const BlockVector* vectors = other.cells + static_cast<ptrdiff_t>(cell_row) * cells_;
      int16_t* out = differenceAt(n, cell_row);
      CellEnergy* energy = energyAt(n, cell_row);
      for (int cell = 0; cell < cells_; ++cell) {
        const int x = cell * kStep - kStep;
        // A cell may have the vector of a block beside it: what reaches beyond the border is held at it.
        fetchCell(other.plane, job_.stride, held(static_cast<float>(x) + vectors[cell].dx, job_.width),
                  held(static_cast<float>(y) + vectors[cell].dy, job_.height), job_.tables->taps, fetched);
        energy[cell] =
            differenceOf(fetched, job_.plane + y * job_.stride + x, job_.stride, out + cell * kStep, pitch_);
      }
    }
  }

  // Whether all that a neighbour differs by in a block is noise, at every scale.
  bool onlyNoise(int n, int column, int row, float variance, const Both& shares) {
    const CellEnergy *upper = energyAt(n, row) + column, *lower = energyAt(n, row + 1) + column;
    // No early way out: which scale fails is not to be foreseen.
    const hn::CappedTag<float, kScales> lanes;
    const auto at = [&](const CellEnergy& e, int k) { return hn::Load(lanes, e.scale + k); };
    bool noise = true;
    for (int k = 0; k < kScales; k += static_cast<int>(hn::MaxLanes(hn::CappedTag<float, kScales>()))) {
      const auto energy =
          hn::Add(hn::Add(at(upper[0], k), at(upper[1], k)), hn::Add(at(lower[0], k), at(lower[1], k)));
      auto limit = hn::Zero(lanes);
      GLENHAZE_UNROLL
      for (int b = 0; b < kBands; ++b)
        limit = hn::MulAdd(hn::Set(lanes, variance * shares.sum(b)), hn::Load(lanes, limit_[b] + k), limit);
      noise &= hn::AllTrue(lanes, hn::Le(energy, limit));
    }
    return noise;
  }

  // f(row of the block, 16 samples of it) for what a neighbour differs by.
  template <typename F>
  void eachDifference(int n, int column, int row, F f) {
    const int16_t *upper = differenceAt(n, row) + column * kStep,
                  *lower = differenceAt(n, row + 1) + column * kStep;
    for (int y = 0; y < kStep; ++y) f(y, upper + y * pitch_);
    for (int y = 0; y < kStep; ++y) f(y + kStep, lower + y * pitch_);
  }

  static Vector widened(const int16_t* samples) {
    const hn::Rebind<int16_t, Lanes> narrow;
    const hn::Rebind<int32_t, Lanes> whole;
    return hn::ConvertTo(kLanes, hn::PromoteTo(whole, hn::LoadU(narrow, samples)));
  }

  ptrdiff_t at(int column, int row) const { return static_cast<ptrdiff_t>(row) * job_.columns + column; }

  void loadMiddle(int column, int row, Block& block) const { loadSamples(job_.plane, column, row, block); }

  void loadSamples(const int16_t* plane, int column, int row, Block& block) const {
    const int16_t* from = plane + (row * kStep - kStep) * job_.stride + column * kStep - kStep;
    const Vector unit = hn::Set(kLanes, 1.0F / kSampleUnit);
    each([&](int y, int x) {
      hn::Store(hn::Mul(unit, widened(from + y * job_.stride + x)), kLanes, &block.v[y][x]);
    });
  }

  void loadDifference(int n, int column, int row, Block& block) {
    const Vector unit = hn::Set(kLanes, 1.0F / kSampleUnit);
    eachDifference(n, column, row, [&](int y, const int16_t* samples) {
      for (int x = 0; x < kBlock; x += kWide)
        hn::Store(hn::Mul(unit, widened(samples + x)), kLanes, &block.v[y][x]);
    });
  }

  // The sum of what several neighbours differ by, times `share`, added to `block`.
  void addDifferences(const int* which, int count, int column, int row, float share, Block& block) {
    const hn::CappedTag<int16_t, kBlock> narrow;
    constexpr int kNarrow = static_cast<int>(hn::MaxLanes(hn::CappedTag<int16_t, kBlock>()));
    alignas(64) int16_t sum[kBlock * kBlock];
    for (int i = 0; i < count; ++i)
      eachDifference(which[i], column, row, [&](int y, const int16_t* samples) {
        for (int x = 0; x < kBlock; x += kNarrow) {
          const auto d = hn::LoadU(narrow, samples + x);
          int16_t* to = sum + y * kBlock + x;
          hn::Store(i == 0 ? d : hn::SaturatedAdd(d, hn::Load(narrow, to)), narrow, to);
        }
      });
    const Vector unit = hn::Set(kLanes, share / kSampleUnit);
    each([&](int y, int x) {
      hn::Store(hn::MulAdd(unit, widened(sum + y * kBlock + x), hn::Load(kLanes, &block.v[y][x])), kLanes,
                &block.v[y][x]);
    });
  }

  void addToSums(const Block& block, int column) {
    float* out = sums_.data() + column * kStep;
    each([&](int y, int x) {
      float* to = out + y * pitch_ + x;
      hn::StoreU(hn::MulAdd(hn::LoadU(kLanes, job_.tables->window + y * kBlock + x),
                            hn::Load(kLanes, &block.v[y][x]), hn::LoadU(kLanes, to)),
                 kLanes, to);
    });
  }

  // The shares of what a neighbour has where a block is found in it.
  BandShares sharesOf(const MergeNeighbour& other, int column, int row) const {
    BandShares shares;
    if (other.shares != nullptr) {
      const BlockVector& v = other.cells[static_cast<ptrdiff_t>(row) * cells_ + column];
      const auto held = [](float at, int count) {
        return static_cast<int>(std::min(std::max(at, 0.0F), static_cast<float>(count - 1)) + 0.5F);
      };
      constexpr float kBlocks = 1.0F / kStep;
      shares =
          other.shares[static_cast<ptrdiff_t>(held(static_cast<float>(row) + v.dy * kBlocks, job_.rows)) *
                           job_.columns +
                       held(static_cast<float>(column) + v.dx * kBlocks, job_.columns)];
    }
    for (float& share : shares.band) share += job_.forgetting;
    return shares;
  }

  void keepShares(ptrdiff_t at, const BandShares& left) {
    if (job_.kept_shares != nullptr && tells_) job_.kept_shares[at] = left;
  }

  // What is known of a block once it was held against its neighbours.
  struct Company {
    int agreeing[kMostNeighbours], doubtful[kMostNeighbours];
    int agree = 0, doubt = 0;
    Both shares[kMostNeighbours];
  };

  void mergeBlock(int column, int row) {
    Block source;
    loadMiddle(column, row, source);
    const ptrdiff_t here = at(column, row);
    const float variance = job_.variance[here];
    if (variance <= 0) {
      keepShares(here, {});
      addToSums(source, column);
      return;
    }
    const BandShares own = job_.shares != nullptr ? job_.shares[here] : BandShares{};
    Company company;
    for (int n = 0; n < job_.neighbours; ++n) {
      const MergeNeighbour& other = job_.neighbour[n];
      const float trust = other.trust_in != nullptr ? other.trust_in[here] : 1.0F;
      float* trust_out = other.trust_out != nullptr && tells_ ? other.trust_out + here : nullptr;
      if (trust_out != nullptr) *trust_out = trust > 0.02F ? trust : 0;
      if (trust <= 0.02F) continue;
      company.shares[n] = {own, sharesOf(other, column, row)};
      if (trust >= 1 && onlyNoise(n, column, row, variance, company.shares[n]))
        company.agreeing[company.agree++] = n;
      else
        company.doubtful[company.doubt++] = n;
    }
    if (company.doubt == 0)
      mergeAgreeing(company, own, column, row, variance, source);
    else
      mergeDoubtful(company, own, column, row, variance, source);
    if (job_.mix > 0) mixBack(column, row, source);
    addToSums(source, column);
  }

  // By one weight for the whole block; of shares that differ from octave to octave the worst counts.
  static float weightOf(const Both& shares) {
    float most = 0, least = shares.middle.band[0];
    for (int b = 0; b < kBands; ++b) {
      most = std::max(most, shares.other.band[b]);
      least = std::min(least, shares.middle.band[b]);
    }
    return least / most;
  }

  // Neighbours that differ by nothing but noise: averaged as they are, without their cosines.
  void mergeAgreeing(const Company& company, const BandShares& own, int column, int row, float variance,
                     Block& source) {
    BandShares left = own;
    float total = 1;
    for (int i = 0; i < company.agree; ++i) {
      const Both& shares = company.shares[company.agreeing[i]];
      const float weight = weightOf(shares);
      total += weight;
      for (int b = 0; b < kBands; ++b) left.band[b] += weight * weight * shares.other.band[b];
    }
    for (float& share : left.band) share /= total * total;
    keepShares(at(column, row), left);
    if (company.agree > 0) addAgreeing(company, column, row, 1 / total, source);
    if (job_.shrink == nullptr) return;
    Block c, noise;
    forward(source.v[0], kBlock, c);
    shrinkTo(left, variance, c, noise);
    backward(c, source);
  }

  void addAgreeing(const Company& company, int column, int row, float share, Block& sum) {
    // Those of one weight, as frames that were only filmed are, in one go.
    for (int i = 0; i < company.agree;) {
      const float weight = weightOf(company.shares[company.agreeing[i]]);
      int end = i + 1;
      while (end < company.agree && weightOf(company.shares[company.agreeing[end]]) == weight) ++end;
      addDifferences(company.agreeing + i, end - i, column, row, weight * share, sum);
      i = end;
    }
  }

  // `d`²: over what unit noise of the spectrum has there.
  HWY_INLINE Vector energyOf(const Block& d, int y, int x) const {
    const Vector v = hn::Load(kLanes, &d.v[y][x]);
    return hn::Mul(hn::Mul(v, v), hn::Load(kLanes, &one_over_.v[y][x]));
  }

  void shrinkTo(const BandShares& left, float variance, Block& c, Block& noise) {
    float bands[kBands], energies[kBands];
    for (int b = 0; b < kBands; ++b) bands[b] = variance * left.band[b];
    meansOf([&](int y, int x) { return energyOf(c, y, x); }, energies);
    for (int b = 0; b < kBands; ++b) energies[b] /= bands[b];
    eachOfBands(bands, [&](int y, int x, Vector share) {
      hn::Store(hn::Mul(share, hn::Load(kLanes, &spectrum_.v[y][x])), kLanes, &noise.v[y][x]);
    });
    shrinkBlock(c, noise, energies, amount_);
  }

  // How the cosines `d` of what neighbour n differs by in a block count.
  Weights weightsOf(int n, const Both& shares, int column, int row, float variance, const Block& d) {
    float means[kBands];
    meansOf([&](int y, int x) { return energyOf(d, y, x); }, means);
    for (int b = 0; b < kBands; ++b) means[b] /= variance * shares.sum(b);
    const MergeNeighbour& other = job_.neighbour[n];
    const Weights found = weigh(means, shares, variance, job_.tolerance,
                                other.trust_in != nullptr ? other.trust_in[at(column, row)] : 1.0F);
    if (other.trust_out != nullptr && tells_) other.trust_out[at(column, row)] = found.trust;
    return found;
  }

  // f(row, column, the larger of limit and energy, weight · limit): the latter over the former is what counts
  // of a coefficient.
  template <typename F>
  HWY_INLINE void eachWeighted(const Weights& weights, const Block& d, F f) const {
    float limited[kBands];
    for (int b = 0; b < kBands; ++b) limited[b] = weights.weight[b] * weights.limit[b];
    for (int x = 0; x < kBlock; x += kWide) {
      Vector limits[kBands], products[kBands];
      bandRows(weights.limit, x, limits);
      bandRows(limited, x, products);
      GLENHAZE_UNROLL
      for (int b = 0; b < kBands; ++b) {
        GLENHAZE_UNROLL
        for (int y = kBandStart[b]; y < kBandStart[b + 1]; ++y)
          f(y, x, hn::Max(limits[b], energyOf(d, y, x)), products[b]);
      }
    }
  }

  void mergeDoubtful(const Company& company, const BandShares& own, int column, int row, float variance,
                     Block& source) {
    // Which is what there mostly is: a picture and what is remembered, or and the next one.
    if (company.doubt == 1 && company.agree == 0)
      mergeOne(company.doubtful[0], company.shares[company.doubtful[0]], own, column, row, variance, source);
    else
      mergeSeveral(company, own, column, row, variance, source);
  }

  void mergeOne(int n, const Both& shares, const BandShares& own, int column, int row, float variance,
                Block& source) {
    Block d, c;
    loadDifference(n, column, row, c);
    forward(c.v[0], kBlock, d);
    const Weights weights = weightsOf(n, shares, column, row, variance, d);
    BandShares left;
    for (int b = 0; b < kBands; ++b) left.band[b] = own.band[b] / (1 + weights.weight[b]);
    keepShares(at(column, row), left);
    if (job_.shrink == nullptr) {
      eachWeighted(weights, d, [&](int y, int x, Vector most, Vector limited) {
        const Vector share = hn::Mul(limited, hn::ApproximateReciprocal(hn::Add(most, limited)));
        hn::Store(hn::Mul(share, hn::Load(kLanes, &d.v[y][x])), kLanes, &d.v[y][x]);
      });
      addBack(d, source);
      return;
    }
    Block noise;
    forward(source.v[0], kBlock, c);
    eachWeighted(weights, d, [&](int y, int x, Vector most, Vector limited) {
      const Vector over = hn::ApproximateReciprocal(hn::Add(most, limited));
      hn::Store(
          hn::MulAdd(hn::Mul(limited, over), hn::Load(kLanes, &d.v[y][x]), hn::Load(kLanes, &c.v[y][x])),
          kLanes, &c.v[y][x]);
      hn::Store(hn::Mul(most, over), kLanes, &noise.v[y][x]);
    });
    shrinkShare(own, variance, c, noise);
    backward(c, source);
  }

  // The picture in the middle with what was made of differences added.
  void addBack(const Block& cosines, Block& source) const {
    Block c;
    backward(cosines, c);
    each([&](int y, int x) {
      hn::Store(hn::Add(hn::Load(kLanes, &c.v[y][x]), hn::Load(kLanes, &source.v[y][x])), kLanes,
                &source.v[y][x]);
    });
  }

  // Shrinks `c`, of which `share` is what is left of the noise that its own picture had in each coefficient.
  void shrinkShare(const BandShares& own, float variance, Block& c, Block& share) {
    float bands[kBands], energies[kBands];
    for (int b = 0; b < kBands; ++b) bands[b] = variance * own.band[b];
    meansOf(
        [&](int y, int x) {
          return hn::Mul(energyOf(c, y, x), hn::ApproximateReciprocal(hn::Load(kLanes, &share.v[y][x])));
        },
        energies);
    for (int b = 0; b < kBands; ++b) energies[b] /= bands[b];
    eachOfBands(bands, [&](int y, int x, Vector v) {
      const Vector s = hn::Load(kLanes, &share.v[y][x]);
      hn::Store(hn::Mul(s, hn::Mul(v, hn::Load(kLanes, &spectrum_.v[y][x]))), kLanes, &share.v[y][x]);
    });
    shrinkBlock(c, share, energies, amount_);
  }

  void mergeSeveral(const Company& company, const BandShares& own, int column, int row, float variance,
                    Block& source) {
    Block sum, total, difference, d;
    float agreed = 1, given[kBands] = {};
    if (company.agree > 0) {
      each([&](int y, int x) { hn::Store(hn::Zero(kLanes), kLanes, &difference.v[y][x]); });
      addAgreeing(company, column, row, 1, difference);
      for (int i = 0; i < company.agree; ++i) agreed += weightOf(company.shares[company.agreeing[i]]);
      forward(difference.v[0], kBlock, sum);
    } else {
      each([&](int y, int x) { hn::Store(hn::Zero(kLanes), kLanes, &sum.v[y][x]); });
    }
    each([&](int y, int x) { hn::Store(hn::Set(kLanes, agreed), kLanes, &total.v[y][x]); });
    for (int i = 0; i < company.doubt; ++i) {
      const int n = company.doubtful[i];
      loadDifference(n, column, row, difference);
      forward(difference.v[0], kBlock, d);
      const Weights weights = weightsOf(n, company.shares[n], column, row, variance, d);
      for (int b = 0; b < kBands; ++b) given[b] += weights.weight[b];
      eachWeighted(weights, d, [&](int y, int x, Vector most, Vector limited) {
        const Vector weight = hn::Mul(limited, hn::ApproximateReciprocal(most));
        const auto add = [&](Block& to, Vector v) {
          hn::Store(hn::Add(hn::Load(kLanes, &to.v[y][x]), v), kLanes, &to.v[y][x]);
        };
        add(sum, hn::Mul(weight, hn::Load(kLanes, &d.v[y][x])));
        add(total, weight);
      });
    }
    BandShares left;
    for (int b = 0; b < kBands; ++b) left.band[b] = own.band[b] / (agreed + given[b]);
    keepShares(at(column, row), left);
    finishSeveral(own, variance, total, sum, source);
  }

  // The block with the weighted differences `sum` added, shrunk where that is wanted. `total` becomes the
  // share of noise that is left.
  void finishSeveral(const BandShares& own, float variance, Block& total, Block& sum, Block& source) {
    each([&](int y, int x) {
      const Vector share = hn::ApproximateReciprocal(hn::Load(kLanes, &total.v[y][x]));
      hn::Store(hn::Mul(share, hn::Load(kLanes, &sum.v[y][x])), kLanes, &sum.v[y][x]);
      hn::Store(share, kLanes, &total.v[y][x]);
    });
    if (job_.shrink == nullptr) {
      addBack(sum, source);
      return;
    }
    Block c;
    forward(source.v[0], kBlock, c);
    each([&](int y, int x) {
      hn::Store(hn::Add(hn::Load(kLanes, &sum.v[y][x]), hn::Load(kLanes, &c.v[y][x])), kLanes, &c.v[y][x]);
    });
    shrinkShare(own, variance, c, total);
    backward(c, source);
  }

  void mixBack(int column, int row, Block& block) const {
    Block untouched;
    loadSamples(job_.untouched, column, row, untouched);
    const Vector mix = hn::Set(kLanes, job_.mix);
    each([&](int y, int x) {
      const Vector s = hn::Load(kLanes, &block.v[y][x]);
      hn::Store(hn::MulAdd(mix, hn::Sub(hn::Load(kLanes, &untouched.v[y][x]), s), s), kLanes, &block.v[y][x]);
    });
  }

  template <typename T>
  void storeRows(int y0, float gain, float top) {
    const int width = job_.width;
    for (int y = y0; y < std::min(y0 + kStep, job_.height); ++y) {
      const float* HWY_RESTRICT in = sums_.data() + (y - y0) * pitch_ + kStep;
      T* HWY_RESTRICT out = reinterpret_cast<T*>(job_.out + y * job_.out_stride);
      for (int x = 0; x < width; ++x)
        out[x] = static_cast<T>(static_cast<int>(std::min(std::max(in[x] * gain, 0.0F), top) + 0.5F));
    }
  }

  void keepRows(int y0) {
    for (int y = y0; y < std::min(y0 + kStep, job_.height); ++y) {
      const float* HWY_RESTRICT in = sums_.data() + (y - y0) * pitch_ + kStep;
      int16_t* HWY_RESTRICT out = job_.kept + y * job_.stride;
      for (int x = 0; x < job_.width; ++x)
        out[x] = static_cast<int16_t>(in[x] * static_cast<float>(kSampleUnit) + 0.5F);
    }
  }

  // The upper half of a row of blocks is whole once they are in.
  void finishRow(int row) {
    const int y0 = row * kStep - kStep;
    if (job_.out == nullptr) {
      keepRows(y0);
      return;
    }
    const auto gain = static_cast<float>(1 << (job_.bit_depth - 8)),
               top = static_cast<float>((1 << job_.bit_depth) - 1);
    if (job_.bit_depth > 8)
      storeRows<uint16_t>(y0, gain, top);
    else
      storeRows<uint8_t>(y0, gain, top);
  }

  static constexpr int kFirstRow = 1;  // of the first band; row 0 is only worked out before it
  const MergeJob& job_;
  bool tells_ = true;
  int cells_;
  ptrdiff_t pitch_;
  std::vector<int16_t> differences_;
  std::vector<CellEnergy> energies_;
  std::vector<float> sums_;
  Block spectrum_, one_over_, amount_;
  alignas(16) float limit_[kBands][kScales];
};

}  // namespace

void mergeRowsHere(const MergeJob& job, int first, int last) { RowMerger(job, first, last); }

void cosinesOf(const float* samples, ptrdiff_t stride, float* coefficients) {
  Block turned, out;
  forward(samples, stride, turned);
  transpose(turned, out);
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x) coefficients[y * kBlock + x] = out.v[y][x];
}

}  // namespace glenhaze::detail::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace glenhaze::detail {

HWY_EXPORT(mergeRowsHere);
HWY_EXPORT(cosinesOf);

void blockCosines(const float* samples, ptrdiff_t stride, float* coefficients) {
  HWY_DYNAMIC_DISPATCH(cosinesOf)(samples, stride, coefficients);
}

size_t octaveOf(int x, int y) {
  const int f = x > y ? x : y;
  return f >= 8 ? 0 : f >= 4 ? 1 : f >= 2 ? 2 : 3;
}

void mergeRows(const MergeJob& job, int first, int last) {
  HWY_DYNAMIC_DISPATCH(mergeRowsHere)(job, first, last);
}

}  // namespace glenhaze::detail
#endif
