#include "core/finish/crispness.h"

#include <cmath>
#include <span>

namespace glenhaze {

namespace {

constexpr int kPad = 10;  // samples beside a row, repeated from its ends

// Binomial of five, σ 1 px: what it takes from the picture is the detail that is worked on.
constexpr std::array<float, 5> kFine{1.0F / 16, 4.0F / 16, 6.0F / 16, 4.0F / 16, 1.0F / 16};
constexpr int kFineReach = 2;
constexpr int kCrispMargin = kFineReach + 1;

// A sharpening y + a·(y − Gy) is taken back by y ← (x + a·Gy) / (1 + a), which comes nearer by a/(1 + a) each
// time.
int roundsFor(double amount) {
  constexpr double kLeft = 0.04, kMost = 12;  // of the sharpening
  return static_cast<int>(std::min(kMost, std::ceil(std::log(kLeft) / std::log(amount / (1 + amount)))));
}

std::vector<float> gaussian(double sigma) {
  const int reach = std::min(kPad - 1, static_cast<int>(std::ceil(3 * sigma)));
  std::vector<float> taps;
  float sum = 0;
  for (int i = -reach; i <= reach; ++i) {
    taps.push_back(static_cast<float>(std::exp(-i * i / (2 * sigma * sigma))));
    sum += taps.back();
  }
  for (float& t : taps) t /= sum;
  return taps;
}

void padRow(float* row, int width) {
  for (int i = 1; i <= kPad; ++i) {
    row[-i] = row[0];
    row[width - 1 + i] = row[width - 1];
  }
}

void blurAlong(const float* from, int width, std::span<const float> taps, float* to) {
  const auto reach = static_cast<int>(taps.size() / 2);
  for (int x = 0; x < width; ++x) to[x] = taps[static_cast<size_t>(reach)] * from[x];
  for (int i = 1; i <= reach; ++i) {
    const float t = taps[static_cast<size_t>(reach + i)];
    for (int x = 0; x < width; ++x) to[x] += t * (from[x - i] + from[x + i]);
  }
}

template <typename T>
void loadRow(const T* from, int width, float unit, float* to) {
  for (int x = 0; x < width; ++x) to[x] = static_cast<float>(from[x]) * unit;
}

float codeUnit(const Frame& frame) { return 1.0F / static_cast<float>(1 << (frame.format.bit_depth - 8)); }

void lumaRow(const Frame& frame, int y, float* to) {
  if (frame.format.bytesPerSample() == 1)
    loadRow(frame.planes[0].row<uint8_t>(y), frame.width, 1, to);
  else
    loadRow(frame.planes[0].row<uint16_t>(y), frame.width, codeUnit(frame), to);
}

}  // namespace

FineNoise fineNoiseOf(const Frame& frame) {
  constexpr int kBlock = 8, kEvery = 3, kAround = kBlock + 2 * kFineReach;
  constexpr double kQuiet = 0.2,
                   kOfQuiet = 0.87;        // of blocks of 64 values, the fifth that is quietest has so much
  constexpr float kRounding = 1.0F / 12;   // what is stored in whole codes has no less
  constexpr float kLow = 18, kHigh = 248;  // nothing is told where the picture is cut off
  constexpr float kMostApart = 4;          // variances of two levels: more is texture
  constexpr size_t kLeast = 12;
  const int columns = (frame.width - kAround) / (kBlock * kEvery),
            rows = (frame.height - kAround) / (kBlock * kEvery);
  std::array<std::vector<float>, FineNoise::kLevels> seen;
  std::vector<float> all;
  std::vector<float> lines(static_cast<size_t>(kAround) * static_cast<size_t>(frame.width));
  for (int row = 0; row < rows; ++row) {
    for (int y = 0; y < kAround; ++y)
      lumaRow(frame, row * kBlock * kEvery + y, lines.data() + static_cast<ptrdiff_t>(y) * frame.width);
    for (int column = 0; column < columns; ++column) {
      const float* block = lines.data() + column * kBlock * kEvery;
      float square = 0, mean = 0;
      for (int y = kFineReach; y < kFineReach + kBlock; ++y)
        for (int x = kFineReach; x < kFineReach + kBlock; ++x) {
          float blurred = 0;
          for (int j = -kFineReach; j <= kFineReach; ++j) {
            const float* line = block + static_cast<ptrdiff_t>(y + j) * frame.width + x;
            float along = 0;
            for (int i = -kFineReach; i <= kFineReach; ++i)
              along += kFine[static_cast<size_t>(i + kFineReach)] * line[i];
            blurred += kFine[static_cast<size_t>(j + kFineReach)] * along;
          }
          const float here = block[static_cast<ptrdiff_t>(y) * frame.width + x];
          square += (here - blurred) * (here - blurred);
          mean += here;
        }
      mean /= kBlock * kBlock;
      if (mean < kLow || mean > kHigh) continue;
      const float variance = square / (kBlock * kBlock);
      all.push_back(variance);
      seen[static_cast<size_t>(static_cast<int>(mean) / (256 / FineNoise::kLevels))].push_back(variance);
    }
  }
  const auto quietOf = [&](std::vector<float>& values) {
    const auto at = values.begin() + static_cast<ptrdiff_t>(kQuiet * static_cast<double>(values.size()));
    std::nth_element(values.begin(), at, values.end());
    return std::max(kRounding, *at / static_cast<float>(kOfQuiet));
  };
  FineNoise noise;
  const float whole = all.empty() ? kRounding : quietOf(all);
  for (size_t i = 0; i < seen.size(); ++i)
    noise.variance[i] = seen[i].size() < kLeast
                            ? whole
                            : std::clamp(quietOf(seen[i]), whole / kMostApart, whole * kMostApart);
  return noise;
}

CrispBand::CrispBand(const Crispness& what, const Frame& frame, const FineNoise& noise)
    : what_(what), frame_(frame), noise_(noise), stride_(frame.width + 2 * kPad) {}

float* CrispBand::row(const Samples& of, int y) const {
  return of.get() + static_cast<ptrdiff_t>(y - top_) * stride_ + kPad;
}

void CrispBand::load(int first, int last) {
  const bool calms = what_.taken_back.amount > 0;
  const auto reach = calms ? static_cast<int>(gaussian(what_.taken_back.radius_px).size() / 2) : 0;
  const int margin = kCrispMargin + (calms ? roundsFor(what_.taken_back.amount) * reach : 0);
  top_ = first - margin;
  rows_ = last - first + 2 * margin;
  // Not filled: every row is written before it is read.
  const size_t count = static_cast<size_t>(stride_) * static_cast<size_t>(rows_);
  if (count > count_)
    for (auto* plane : {&luma_, &detail_, &work_}) *plane = std::make_unique_for_overwrite<float[]>(count);
  count_ = std::max(count, count_);
  for (int y = top_; y < top_ + rows_; ++y) {
    lumaRow(frame_, std::clamp(y, 0, frame_.height - 1), row(luma_, y));
    padRow(row(luma_, y), frame_.width);
  }
}

// Rows at the band's ends go wrong by one reach a round; they are not among those that are wanted.
void CrispBand::takeBack() {
  const std::vector<float> taps = gaussian(what_.taken_back.radius_px);
  const auto reach = static_cast<int>(taps.size() / 2);
  const auto amount = static_cast<float>(what_.taken_back.amount);
  const float share = 1 / (1 + amount);
  const std::vector<float> filmed(luma_.get(), luma_.get() + static_cast<ptrdiff_t>(stride_) * rows_);
  const auto filmedRow = [&](int y) {
    return filmed.data() + static_cast<ptrdiff_t>(y - top_) * stride_ + kPad;
  };
  for (int round = roundsFor(what_.taken_back.amount); round > 0; --round) {
    for (int y = top_; y < top_ + rows_; ++y) blurAlong(row(luma_, y), frame_.width, taps, row(work_, y));
    for (int y = top_ + reach; y < top_ + rows_ - reach; ++y) {
      float* to = row(luma_, y);
      const float* from = filmedRow(y);
      float* sum = row(detail_, y);
      const float* middle = row(work_, y);
      for (int x = 0; x < frame_.width; ++x) sum[x] = taps[static_cast<size_t>(reach)] * middle[x];
      for (int i = 1; i <= reach; ++i) {
        const float t = taps[static_cast<size_t>(reach + i)];
        const float *above = row(work_, y - i), *below = row(work_, y + i);
        for (int x = 0; x < frame_.width; ++x) sum[x] += t * (above[x] + below[x]);
      }
      for (int x = 0; x < frame_.width; ++x) to[x] = share * (from[x] + amount * sum[x]);
      padRow(to, frame_.width);
    }
  }
}

namespace {

// What a row's neighbourhood along it is, in arrays of the row's length: whole rows are worked on at once.
struct RowAbout {
  std::vector<float> energy, low, high;
  void look(const float* detail, const float* luma, int width) {
    energy.resize(static_cast<size_t>(width));
    low.resize(energy.size());
    high.resize(energy.size());
    float *e = energy.data(), *l = low.data(), *h = high.data();
    for (int x = 0; x < width; ++x)
      e[x] = detail[x - 1] * detail[x - 1] + 2 * detail[x] * detail[x] + detail[x + 1] * detail[x + 1];
    for (int x = 0; x < width; ++x) {
      const float sides = luma[x - 1] < luma[x + 1] ? luma[x - 1] : luma[x + 1];
      l[x] = sides < luma[x] ? sides : luma[x];
    }
    for (int x = 0; x < width; ++x) {
      const float sides = luma[x - 1] > luma[x + 1] ? luma[x - 1] : luma[x + 1];
      h[x] = sides > luma[x] ? sides : luma[x];
    }
  }
};

void fineAlong(const float* from, int width, float* to) {
  for (int x = 0; x < width; ++x)
    to[x] =
        kFine[0] * (from[x - 2] + from[x + 2]) + kFine[1] * (from[x - 1] + from[x + 1]) + kFine[2] * from[x];
}

}  // namespace

void CrispBand::crispen(int first, int last, std::vector<float>& out) {
  const int width = frame_.width;
  for (int y = first - kCrispMargin; y < last + kCrispMargin; ++y)
    fineAlong(row(luma_, y), width, row(work_, y));
  for (int y = first - 1; y < last + 1; ++y) {
    float* d = row(detail_, y);
    const float *a = row(work_, y - 2), *b = row(work_, y - 1), *c = row(work_, y), *e = row(work_, y + 1),
                *f = row(work_, y + 2), *here = row(luma_, y);
    for (int x = 0; x < width; ++x)
      d[x] = here[x] - (kFine[0] * (a[x] + f[x]) + kFine[1] * (b[x] + e[x]) + kFine[2] * c[x]);
    padRow(d, width);
  }
  // An edge: where the detail about a place is so many times the noise, from nothing to all of it.
  constexpr float kFrom = 2 * 2, kTo = 4 * 4, kWeights = 12;
  const auto amount = static_cast<float>(what_.amount), halo = static_cast<float>(what_.halo);
  std::array<RowAbout, 3> about;
  const auto aboutRow = [&](int y) -> RowAbout& { return about[static_cast<size_t>((y - first + 1) % 3)]; };
  for (int y = first - 1; y < first + 1; ++y) aboutRow(y).look(row(detail_, y), row(luma_, y), width);
  std::vector<float> noise(static_cast<size_t>(width));
  for (int y = first; y < last; ++y) {
    aboutRow(y + 1).look(row(detail_, y + 1), row(luma_, y + 1), width);
    const RowAbout &r0 = aboutRow(y - 1), &r1 = aboutRow(y), &r2 = aboutRow(y + 1);
    const float *detail = row(detail_, y), *luma = row(luma_, y);
    for (int x = 0; x < width; ++x) noise[static_cast<size_t>(x)] = noise_.varianceAt(luma[x]);
    const float *e0 = r0.energy.data(), *e1 = r1.energy.data(), *e2 = r2.energy.data(), *n = noise.data();
    float* to = out.data() + static_cast<ptrdiff_t>(y - first) * width;
    for (int x = 0; x < width; ++x) {
      float share = ((e0[x] + e1[x] + e2[x]) / (kWeights * n[x]) - kFrom) * (1 / (kTo - kFrom));
      share = share < 0 ? 0 : share;
      share = share > 1 ? 1 : share;
      to[x] = luma[x] + amount * share * detail[x];
    }
    const float *l0 = r0.low.data(), *l1 = r1.low.data(), *l2 = r2.low.data();
    for (int x = 0; x < width; ++x) {
      float low = l0[x] < l1[x] ? l0[x] : l1[x];
      low = (l2[x] < low ? l2[x] : low) - halo;
      to[x] = to[x] < low ? low : to[x];
    }
    const float *h0 = r0.high.data(), *h1 = r1.high.data(), *h2 = r2.high.data();
    for (int x = 0; x < width; ++x) {
      float high = h0[x] > h1[x] ? h0[x] : h1[x];
      high = (h2[x] > high ? h2[x] : high) + halo;
      to[x] = to[x] > high ? high : to[x];
    }
  }
}

void CrispBand::rows(int first, int last, std::vector<float>& out) {
  out.resize(static_cast<size_t>(frame_.width) * static_cast<size_t>(last - first));
  load(first, last);
  if (what_.taken_back.amount > 0) takeBack();
  if (what_.amount > 0) {
    crispen(first, last, out);
    return;
  }
  for (int y = first; y < last; ++y)
    std::copy_n(row(luma_, y), frame_.width, out.begin() + static_cast<ptrdiff_t>(y - first) * frame_.width);
}

}  // namespace glenhaze
