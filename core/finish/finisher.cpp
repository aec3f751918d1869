#include "core/finish/finisher.h"

#include <cmath>
#include <cstdint>
#include <vector>

#include "core/base/parallel.h"

namespace glenhaze {

namespace {

// Rows that are done together: they stay in the cache with their margins, which are done twice. Many threads
// want more of them.
int bandRows() {
  constexpr int kFewThreads = 4;
  return workerThreads() > kFewThreads ? 32 : 64;
}

// Where a row of chroma lies in rows of luma, and the other way.
struct Siting {
  int shift_x = 0, shift_y = 0;
  float offset_x = 0, offset_y = 0;  // of the first sample, luma px

  explicit Siting(const Frame& frame) : shift_x(frame.format.shiftX()), shift_y(frame.format.shiftY()) {
    const ChromaSiting siting = frame.colour.siting;
    if (shift_x > 0 && siting == ChromaSiting::Center) offset_x = 0.5F;
    if (shift_y > 0 && siting != ChromaSiting::TopLeft) offset_y = 0.5F;
  }
};

// A row of chroma at a height in its own rows, 8-bit codes.
template <typename T>
void chromaRow(const Plane& plane, float at, float unit, std::vector<float>& to) {
  const float held = std::clamp(at, 0.0F, static_cast<float>(plane.height - 1));
  const int above = static_cast<int>(held), below = std::min(above + 1, plane.height - 1);
  const float t = held - static_cast<float>(above);
  const T *a = plane.row<T>(above), *b = plane.row<T>(below);
  to.resize(static_cast<size_t>(plane.width));
  for (int x = 0; x < plane.width; ++x)
    to[static_cast<size_t>(x)] =
        unit * (static_cast<float>(a[x]) + t * (static_cast<float>(b[x]) - static_cast<float>(a[x])));
}

// From a row of chroma to one of luma's width.
void widened(const std::vector<float>& row, const Siting& siting, int width, std::vector<float>& to) {
  to.resize(static_cast<size_t>(width));
  if (siting.shift_x == 0) {
    std::copy_n(row.begin(), width, to.begin());
    return;
  }
  const auto last = static_cast<float>(row.size() - 1);
  for (int x = 0; x < width; ++x) {
    const float at = std::clamp((static_cast<float>(x) - siting.offset_x) / 2, 0.0F, last);
    const auto i = static_cast<size_t>(at);
    const size_t next = std::min(i + 1, row.size() - 1);
    to[static_cast<size_t>(x)] = row[i] + (at - static_cast<float>(i)) * (row[next] - row[i]);
  }
}

// Rows of luma at the places of a row of chroma.
void lumaUnder(const float* above, const float* middle, const float* below, const Siting& siting, int width,
               std::vector<float>& to) {
  const auto one = [&](int x) {
    x = std::clamp(x, 0, width - 1);
    if (siting.shift_y == 0) return middle[x];
    // Between two rows, or on one of them with half of its neighbours.
    return siting.offset_y > 0 ? (middle[x] + below[x]) / 2 : (above[x] + 2 * middle[x] + below[x]) / 4;
  };
  for (size_t i = 0; i < to.size(); ++i) {
    const int x = static_cast<int>(i) << siting.shift_x;
    if (siting.shift_x == 0)
      to[i] = one(x);
    else
      to[i] = siting.offset_x > 0 ? (one(x) + one(x + 1)) / 2 : (one(x - 1) + 2 * one(x) + one(x + 1)) / 4;
  }
}

// Evenly spread between −½ and ½ of a code.
constexpr int kTile = 64;
using Dither = std::array<float, kTile * kTile>;
const Dither& ditherTile() {
  static const Dither tile = [] {
    Dither values{};
    for (uint32_t i = 0; i < values.size(); ++i) {
      uint32_t h = (i + 1) * 0x9E3779B1U;
      h ^= h >> 15;
      h *= 0x2C1B3C6DU;
      h ^= h >> 13;
      h *= 0x85EBCA77U;
      values[i] = static_cast<float>(h >> 8) * (1.0F / 16777216.0F) - 0.5F;
    }
    return values;
  }();
  return tile;
}

// A row of it, laid elsewhere in each frame and plane; kTile values from where a row of the picture begins.
void ditherRow(int y, uint32_t frame, uint32_t plane, std::array<float, kTile>& to) {
  const uint32_t laid = (frame * 4 + plane + 1) * 0xC2B2AE3DU;
  const uint32_t row = (static_cast<uint32_t>(y) + (laid >> 8)) % kTile, first = (laid >> 20) % kTile;
  for (uint32_t x = 0; x < kTile; ++x) to[x] = ditherTile()[row * kTile + (x + first) % kTile];
}

struct Target {
  Frame& frame;
  bool dithers;
  uint32_t index;
};

template <typename T>
void storeAs(const float* row, int y, size_t plane, const Target& target) {
  const PixelFormat& format = target.frame.format;
  const auto unit = static_cast<float>(1 << (format.bit_depth - 8)),
             most = static_cast<float>(format.maxValue());
  Plane& to = target.frame.planes[plane];
  T* out = to.row<T>(y);
  std::array<float, kTile> dither{};
  if (target.dithers) ditherRow(y, target.index, static_cast<uint32_t>(plane), dither);
  for (int first = 0; first < to.width; first += kTile) {
    const int count = std::min(kTile, to.width - first);
    const float* from = row + first;
    T* at = out + first;
    for (int x = 0; x < count; ++x) {
      float v = from[x] * unit + dither[static_cast<size_t>(x)];
      v = v > 0 ? v : 0;
      v = v < most ? v : most;
      at[x] = static_cast<T>(static_cast<int>(v + 0.5F));
    }
  }
}

void store(const float* row, int y, size_t plane, const Target& target) {
  if (target.frame.format.bytesPerSample() == 1)
    storeAs<uint8_t>(row, y, plane, target);
  else
    storeAs<uint16_t>(row, y, plane, target);
}

// One band of rows: luma with a row to each side, as rows of chroma may lie on the band's first one.
class Band {
 public:
  Band(const Frame& frame, const Grade* grade, const Target& target)
      : frame_(frame),
        grade_(grade),
        target_(target),
        siting_(frame),
        unit_(1.0F / static_cast<float>(1 << (frame.format.bit_depth - 8))) {}

  void finish(CrispBand& edges, int first, int last) {
    edges.rows(first - 1, last + 1, luma_);
    for (int y = first; y < last; ++y) finishLuma(y, first);
    if (frame_.format.numPlanes() < 3) return;
    const int step = 1 << siting_.shift_y;
    for (int y = first; y < last; y += step) finishChroma(y, first);
  }

 private:
  const float* luma(int y, int first) const {
    return luma_.data() + static_cast<ptrdiff_t>(y - first + 1) * frame_.width;
  }
  void chromaAt(float at, size_t plane, std::vector<float>& to) const {
    if (frame_.format.bytesPerSample() == 1)
      chromaRow<uint8_t>(frame_.planes[plane], at, unit_, to);
    else
      chromaRow<uint16_t>(frame_.planes[plane], at, unit_, to);
  }

  void finishLuma(int y, int first) {
    y_.assign(luma(y, first), luma(y, first) + frame_.width);
    if (grade_ != nullptr) {
      const auto down = static_cast<float>(1 << siting_.shift_y);
      for (size_t p : {1U, 2U}) {
        std::vector<float>& to = p == 1 ? cb_ : cr_;
        if (frame_.format.numPlanes() < 3) {
          to.assign(y_.size(), 128);
          continue;
        }
        chromaAt((static_cast<float>(y) - siting_.offset_y) / down, p, row_);
        widened(row_, siting_, frame_.width, to);
      }
      grade_->apply(y_.data(), cb_.data(), cr_.data(), frame_.width);
    }
    store(y_.data(), y, 0, target_);
  }

  void finishChroma(int y, int first) {
    const int own = y >> siting_.shift_y, width = frame_.planes[1].width;
    chromaAt(static_cast<float>(own), 1, cb_);
    chromaAt(static_cast<float>(own), 2, cr_);
    if (grade_ != nullptr) {
      y_.resize(static_cast<size_t>(width));
      lumaUnder(luma(y - 1, first), luma(y, first), luma(y + 1, first), siting_, frame_.width, y_);
      grade_->apply(y_.data(), cb_.data(), cr_.data(), width);
    }
    store(cb_.data(), own, 1, target_);
    store(cr_.data(), own, 2, target_);
  }

  const Frame& frame_;
  const Grade* grade_;
  const Target& target_;
  Siting siting_;
  float unit_;
  std::vector<float> luma_, y_, cb_, cr_, row_;
};

}  // namespace

Finisher::Finisher(const Crispness& edges, const FinishSettings& colour) : edges_(edges), colour_(colour) {
  if (!colour.lut.empty()) look_ = std::make_shared<LookTable>(colour.lut);
  if (!colour.log_curve.empty()) log_ = std::make_shared<LookTable>(LookTable::ofLogCurve(colour.log_curve));
}

std::shared_ptr<const Grade> Finisher::gradeOf(const Frame& frame) const {
  if (!colour_.setsColour()) return nullptr;
  const std::scoped_lock lock(kept_->mutex);
  if (!kept_->grade || !(kept_->tags == frame.colour) || kept_->height != frame.height) {
    kept_->grade = std::make_shared<Grade>(colour_, frame.colour, frame.height, look_, log_);
    kept_->tags = frame.colour;
    kept_->height = frame.height;
  }
  return kept_->grade;
}

bool Finisher::changes(const Frame& frame) const {
  const bool rgb = frame.colour.matrix == 0 && frame.format.numPlanes() == 3;
  return !rgb && (edges_.changes() || colour_.setsColour());
}

PixelFormat Finisher::formatBefore(PixelFormat format) {
  constexpr int kInside = 12;
  format.bit_depth = std::max(format.bit_depth, kInside);
  return format;
}

Frame Finisher::finish(const Frame& frame, PixelFormat format) const {
  Frame out = frame;
  out.format = format;
  out.format.chroma = frame.format.chroma;
  out.planes = makeFrame(frame.width, frame.height, out.format).planes;
  const std::shared_ptr<const Grade> grade = gradeOf(frame);
  out.colour = Grade::tagsAfter(colour_, frame.colour);
  const FineNoise noise = fineNoiseOf(frame);
  const Target target{out, format.bit_depth <= 8, static_cast<uint32_t>(std::max<int64_t>(0, frame.index))};
  parallelBlocks(frame.height, bandRows(), [&](int first, int last) {
    CrispBand edges(edges_, frame, noise);
    Band(frame, grade.get(), target).finish(edges, first, last);
  });
  return out;
}

}  // namespace glenhaze
