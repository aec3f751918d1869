#include "core/finish/crispness.h"

#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"
#include "core/finish/detail/crisp_kernel.h"

namespace glenhaze {

namespace {

constexpr int kPad = detail::kCrispPad;  // samples beside a row, repeated from its ends

// Binomial of five, σ 1 px: what it takes from the picture is the detail that is worked on.
constexpr int kFineReach = 2;
constexpr int kCrispMargin = kFineReach + 1;

// A sharpening y + a·(y − Gy) is taken back by y ← (x + a·Gy) / (1 + a), which comes nearer by a/(1 + a) each
// time.
int roundsFor(double amount) {
  constexpr double kLeft = 0.04, kMost = 12;  // of the sharpening
  return static_cast<int>(std::min(kMost, std::ceil(std::log(kLeft) / std::log(amount / (1 + amount)))));
}

// The middle one and those to one side.
std::vector<float> gaussian(double sigma) {
  const int reach = std::min(detail::kMostReach, static_cast<int>(std::ceil(3 * sigma)));
  std::vector<float> taps;
  float sum = 0;
  for (int i = -reach; i <= reach; ++i) {
    const auto tap = static_cast<float>(std::exp(-i * i / (2 * sigma * sigma)));
    sum += tap;
    if (i >= 0) taps.push_back(tap);
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

namespace {

// Squares of samples that the noise is looked for in, kQuietEvery of their sides apart.
constexpr int kQuietBlock = 8, kQuietEvery = 3, kQuietAround = kQuietBlock + 2 * kFineReach;

struct QuietBlock {
  float mean, variance;  // of luma; of its finest detail
};

// Those of one row of squares, from y on.
void quietBlocks(const Frame& frame, int y, int columns, QuietBlock* to) {
  const int width = frame.width, stride = width + 2 * kPad;
  std::vector<float> luma(static_cast<size_t>(kQuietAround) * static_cast<size_t>(stride)),
      along(luma.size()), fine(luma.size());
  const auto row = [&](std::vector<float>& of, int i) {
    return of.data() + static_cast<ptrdiff_t>(i) * stride + kPad;
  };
  for (int i = 0; i < kQuietAround; ++i) {
    lumaRow(frame, y + i, row(luma, i));
    padRow(row(luma, i), width);
    detail::blurFinely(row(luma, i), width, row(along, i));
  }
  for (int i = kFineReach; i < kFineReach + kQuietBlock; ++i)
    detail::fineDetail(
        {row(along, i - 2), row(along, i - 1), row(along, i), row(along, i + 1), row(along, i + 2)},
        row(luma, i), width, row(fine, i));
  constexpr float kArea = kQuietBlock * kQuietBlock;
  for (int column = 0; column < columns; ++column) {
    const int first = column * kQuietBlock * kQuietEvery + kFineReach;
    float square = 0, mean = 0;
    for (int i = kFineReach; i < kFineReach + kQuietBlock; ++i)
      for (int x = first; x < first + kQuietBlock; ++x) {
        square += row(fine, i)[x] * row(fine, i)[x];
        mean += row(luma, i)[x];
      }
    to[column] = {mean / kArea, square / kArea};
  }
}

}  // namespace

FineNoise fineNoiseOf(const Frame& frame) {
  constexpr double kQuiet = 0.2,
                   kOfQuiet = 0.87;        // of blocks of 64 values, the fifth that is quietest has so much
  constexpr float kRounding = 1.0F / 12;   // what is stored in whole codes has no less
  constexpr float kLow = 18, kHigh = 248;  // nothing is told where the picture is cut off
  constexpr float kMostApart = 4;          // variances of two levels: more is texture
  constexpr size_t kLeast = 12;
  constexpr int kApart = kQuietBlock * kQuietEvery;
  const int columns = std::max(0, (frame.width - kQuietAround) / kApart),
            rows = std::max(0, (frame.height - kQuietAround) / kApart);
  std::vector<QuietBlock> blocks(static_cast<size_t>(columns) * static_cast<size_t>(rows));
  parallelBlocks(rows, 4, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      quietBlocks(frame, row * kApart, columns, blocks.data() + static_cast<ptrdiff_t>(row) * columns);
  });
  std::array<std::vector<float>, FineNoise::kLevels> seen;
  std::vector<float> all;
  for (const QuietBlock& block : blocks) {
    if (block.mean < kLow || block.mean > kHigh) continue;
    all.push_back(block.variance);
    seen[static_cast<size_t>(static_cast<int>(block.mean) / (256 / FineNoise::kLevels))].push_back(
        block.variance);
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
  const auto reach = calms ? static_cast<int>(gaussian(what_.taken_back.radius_px).size()) - 1 : 0;
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

// Each round makes fewer rows good by its reach at both ends; no more are worked out than those to come need.
void CrispBand::takeBack() {
  const std::vector<float> taps = gaussian(what_.taken_back.radius_px);
  const auto reach = static_cast<int>(taps.size()) - 1;
  const auto amount = static_cast<float>(what_.taken_back.amount);
  const float share = 1 / (1 + amount);
  const std::vector<float> filmed(luma_.get(), luma_.get() + static_cast<ptrdiff_t>(stride_) * rows_);
  std::vector<const float*> about(static_cast<size_t>(2 * reach + 1));
  const int rounds = roundsFor(what_.taken_back.amount);
  for (int round = 1; round <= rounds; ++round) {
    const int first = top_ + round * reach, last = top_ + rows_ - round * reach;
    for (int y = first - reach; y < last + reach; ++y)
      detail::blurAlong(row(luma_, y), frame_.width, taps, row(work_, y));
    for (int y = first; y < last; ++y) {
      for (int i = -reach; i <= reach; ++i) about[static_cast<size_t>(reach + i)] = row(work_, y + i);
      detail::sharpenLess(about, filmed.data() + static_cast<ptrdiff_t>(y - top_) * stride_ + kPad,
                          frame_.width, taps, amount, share, row(luma_, y));
      padRow(row(luma_, y), frame_.width);
    }
  }
}

namespace {

// What is known about a row, in rows of its length.
struct RowAbout {
  std::vector<float> energy, low, high;
  void look(const float* detail, const float* luma, int width) {
    for (auto* of : {&energy, &low, &high}) of->resize(static_cast<size_t>(width));
    detail::lookAlong(detail, luma, width, energy.data(), low.data(), high.data());
  }
};

}  // namespace

void CrispBand::crispen(int first, int last, std::vector<float>& out) {
  const int width = frame_.width;
  for (int y = first - kCrispMargin; y < last + kCrispMargin; ++y)
    detail::blurFinely(row(luma_, y), width, row(work_, y));
  for (int y = first - 1; y < last + 1; ++y) {
    detail::fineDetail(
        {row(work_, y - 2), row(work_, y - 1), row(work_, y), row(work_, y + 1), row(work_, y + 2)},
        row(luma_, y), width, row(detail_, y));
    padRow(row(detail_, y), width);
  }
  const auto amount = static_cast<float>(what_.amount), halo = static_cast<float>(what_.halo);
  std::array<RowAbout, 3> about;
  const auto aboutRow = [&](int y) -> RowAbout& { return about[static_cast<size_t>((y - first + 1) % 3)]; };
  for (int y = first - 1; y < first + 1; ++y) aboutRow(y).look(row(detail_, y), row(luma_, y), width);
  for (int y = first; y < last; ++y) {
    aboutRow(y + 1).look(row(detail_, y + 1), row(luma_, y + 1), width);
    const RowAbout &a = aboutRow(y - 1), &b = aboutRow(y), &c = aboutRow(y + 1);
    detail::crispenRow({{a.energy.data(), b.energy.data(), c.energy.data()},
                        {a.low.data(), b.low.data(), c.low.data()},
                        {a.high.data(), b.high.data(), c.high.data()},
                        row(detail_, y),
                        row(luma_, y)},
                       noise_.variance, width, amount, halo,
                       out.data() + static_cast<ptrdiff_t>(y - first) * width);
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
