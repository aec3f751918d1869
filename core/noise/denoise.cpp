#include "core/noise/denoise.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>
#include <limits>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/noise/blocks.h"
#include "core/noise/detail/block_kernel.h"
#include "core/noise/detail/specks.h"

namespace glenhaze {

using detail::BlockVector;
using detail::kBlock;
using detail::kBlockArea;
using detail::kStep;
using detail::MotionField;
using detail::SamplePlane;

namespace {

constexpr int kLevels = 256;
// Of what is left after the frames are merged, this much times its variance is shrunk at smoothing 1.
constexpr float kShrink = 1.6F;

// A curve as the work on blocks wants it.
struct NoiseModel {
  NoiseCurve curve;
  std::array<std::array<float, kBlockArea>, 3> spectrum;
  std::array<std::array<float, kLevels>, 3> variance;  ///< by luma code, strength included
  /// Noise at middle grey stands for the picture where motion is concerned.
  float motion_sigma = 0;
};

struct Held {
  Frame frame;
  std::shared_ptr<const NoiseModel> noise;
  std::array<SamplePlane, 3> planes;
  detail::MotionPicture motion;
  MotionField forward, backward;  ///< to the frames after and before; empty where there is none of its size
  std::array<float, 3>
      coded{};           ///< variance of what hard compression left out, as far as it is to be smoothed
  bool repeats = false;  ///< the same samples as the frame before: no evidence of its own
};

void requireSettings(const DenoiseSettings& s, const NoiseCurve& curve) {
  const auto fail = [](const std::string& why) {
    throw Error(ErrorKind::BadRequest, "These noise settings cannot be used", "", why, "");
  };
  if (!curve.usable()) fail("there is no noise curve");
  for (const DenoiseKey& key : denoiseKeys())
    if (const double v = key.get(s); !(v >= key.low && v <= key.high))
      fail(std::string(key.name) + " must be from " + exactText(key.low) + " to " + exactText(key.high));
}

// What the octaves of a curve mean for the coefficients of a block.
std::array<float, kBlockArea> spectrumOf(const std::array<double, kNoiseOctaves>& octaves) {
  std::array<float, kBlockArea> spectrum{};
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x)
      spectrum[static_cast<size_t>(y * kBlock + x)] =
          static_cast<float>(std::max(1e-3, octaves[detail::octaveOf(x, y)]));
  return spectrum;
}

std::shared_ptr<const NoiseModel> modelOf(NoiseCurve curve, const DenoiseSettings& settings) {
  auto model = std::make_shared<NoiseModel>();
  for (size_t c = 0; c < 3; ++c) {
    model->spectrum[c] = spectrumOf(curve.octaves[c]);
    const double strength = c == 0 ? settings.luma : settings.chroma;
    for (int level = 0; level < kLevels; ++level)
      model->variance[c][static_cast<size_t>(level)] =
          static_cast<float>(std::pow(strength * curve.sigmaAt(static_cast<int>(c), level), 2));
  }
  model->motion_sigma = static_cast<float>(curve.sigmaAt(0, 110));
  model->curve = std::move(curve);
  return model;
}

// What is shrunk of each coefficient: the octaves within reach, finest first.
std::array<float, kBlockArea> shrinkOf(const DenoiseSettings& settings) {
  std::array<float, kBlockArea> amount{};
  for (int y = 0; y < kBlock; ++y)
    for (int x = 0; x < kBlock; ++x)
      if (static_cast<int>(detail::octaveOf(x, y)) < settings.reach)
        amount[static_cast<size_t>(y * kBlock + x)] = kShrink * static_cast<float>(settings.smoothing);
  return amount;
}

}  // namespace

namespace {
struct PlaneGuide;
}

namespace {

template <auto Member>
constexpr DenoiseKey keyOf(const char* name, double low, double high) {
  using Value = std::remove_reference_t<decltype(std::declval<DenoiseSettings&>().*Member)>;
  return {name,
          low,
          high,
          std::is_same_v<Value, int>,
          [](const DenoiseSettings& s) { return static_cast<double>(s.*Member); },
          [](DenoiseSettings& s, double v) { s.*Member = static_cast<Value>(v); }};
}

constexpr std::array kKeys{keyOf<&DenoiseSettings::frames_each_side>("frames_each_side", 0, 4),
                           keyOf<&DenoiseSettings::luma>("luma", 0, 4),
                           keyOf<&DenoiseSettings::chroma>("chroma", 0, 4),
                           keyOf<&DenoiseSettings::smoothing>("smoothing", 0, 3),
                           keyOf<&DenoiseSettings::tolerance>("tolerance", 0.25, 4),
                           keyOf<&DenoiseSettings::reach>("reach", 0, kNoiseOctaves),
                           keyOf<&DenoiseSettings::mix>("mix", 0, 1),
                           keyOf<&DenoiseSettings::blocks>("blocks", 0, 1),
                           keyOf<&DenoiseSettings::specks>("specks", 0, 1),
                           keyOf<&DenoiseSettings::shadow_colour>("shadow_colour", 0, 1),
                           keyOf<&DenoiseSettings::flicker>("flicker", 0, 1)};

}  // namespace

std::span<const DenoiseKey> denoiseKeys() { return kKeys; }

struct Denoiser::State {
  Progress progress;  ///< of the call in work
  DenoiseSettings settings;
  detail::BlockTables tables;
  std::shared_ptr<const NoiseModel> noise;  ///< of frames to come
  std::array<float, kBlockArea> shrink;
  std::deque<std::shared_ptr<Held>> window;
  size_t next = 0;  ///< in `window`: the frame to finish next
  bool draining = false;

  std::shared_ptr<Held> take(const Frame& frame) const;
  Frame finish(size_t middle) const;
  std::shared_ptr<const Held> withoutSpecks(size_t at,
                                            const std::vector<std::vector<BlockVector>>& cells) const;
  std::vector<size_t> neighboursOf(size_t middle) const;
  MotionField motionTo(size_t middle, size_t other, std::vector<MotionField>& known) const;
  std::vector<float> blockVariance(const Held& held, int channel, int columns, int rows) const;
  void denoisePlane(const Held& middle, const std::vector<const Held*>& others, int channel,
                    const PlaneGuide& guide, std::vector<std::vector<float>>* trust_out, Frame& out) const;
};

Denoiser::Denoiser(NoiseCurve curve, const DenoiseSettings& settings, int lead)
    : state_(std::make_unique<State>()) {
  requireSettings(settings, curve);
  State& s = *state_;
  s.settings = settings;
  s.shrink = shrinkOf(settings);
  s.next = static_cast<size_t>(std::clamp(lead, 0, settings.frames_each_side));
  s.noise = modelOf(std::move(curve), settings);
}

void Denoiser::changeCurve(NoiseCurve curve) {
  requireSettings(state_->settings, curve);
  if (curve == state_->noise->curve) return;
  state_->noise = modelOf(std::move(curve), state_->settings);
}

Denoiser::~Denoiser() = default;
Denoiser::Denoiser(Denoiser&&) noexcept = default;
Denoiser& Denoiser::operator=(Denoiser&&) noexcept = default;

std::shared_ptr<Held> Denoiser::State::take(const Frame& frame) const {
  if (frame.colour.matrix == 0 && frame.format.numPlanes() == 3)
    throw Error(ErrorKind::BadRequest, "Noise is removed from luma and chroma only", "",
                "the picture is stored as red, green and blue", "");
  auto held = std::make_shared<Held>();
  held->frame = frame;
  held->noise = noise;
  if (settings.blocks > 0) {
    const Blockiness blockiness = measureBlockiness(frame);
    for (size_t c = 0; c < 3; ++c)
      held->coded[c] = static_cast<float>(settings.blocks * blockiness.variance(c) *
                                          std::min(1.0, c == 0 ? settings.luma : settings.chroma));
  }
  for (int p = 0; p < frame.format.numPlanes(); ++p)
    held->planes[static_cast<size_t>(p)] = detail::samplePlane(frame, p);
  if (settings.frames_each_side > 0) held->motion = detail::motionPicture(held->planes[0]);
  if (window.empty()) return held;
  Held& before = *window.back();
  held->repeats = sameSamples(before.frame, frame);
  if (settings.frames_each_side > 0 && before.frame.width == frame.width &&
      before.frame.height == frame.height) {
    before.forward = detail::estimateMotion(before.motion, held->motion, noise->motion_sigma, progress);
    held->backward = detail::estimateMotion(held->motion, before.motion, noise->motion_sigma,
                                            detail::turnedAround(before.forward), progress);
  }
  return held;
}

// Up to frames_each_side on both sides, of the same size; a repeated frame is passed over.
std::vector<size_t> Denoiser::State::neighboursOf(size_t middle) const {
  std::vector<size_t> found;
  const auto fits = [&](size_t i) {
    return window[i]->frame.width == window[middle]->frame.width &&
           window[i]->frame.height == window[middle]->frame.height &&
           window[i]->frame.format == window[middle]->frame.format;
  };
  const auto side = static_cast<size_t>(settings.frames_each_side);
  // A frame of another size ends what can be followed.
  for (size_t i = 1; i <= side && middle + i < window.size() && fits(middle + i); ++i)
    if (!window[middle + i]->repeats) found.push_back(middle + i);
  // Backwards a frame repeats when the one after it says so.
  for (size_t i = 1; i <= side && i <= middle && fits(middle - i); ++i)
    if (!window[middle - i + 1]->repeats) found.push_back(middle - i);
  return found;
}

std::vector<float> Denoiser::State::blockVariance(const Held& held, int channel, int columns,
                                                  int rows) const {
  const SamplePlane& luma = held.planes[0];
  const int sx = channel == 0 ? 0 : held.frame.format.shiftX(),
            sy = channel == 0 ? 0 : held.frame.format.shiftY();
  const auto& table = held.noise->variance[static_cast<size_t>(channel)];
  const float coded = held.coded[static_cast<size_t>(channel)];
  // Means over cells of half a block; a block is the mean of four.
  const int cell_columns = columns + 1, cell_rows = rows + 1;
  std::vector<float> cells(static_cast<size_t>(cell_columns) * static_cast<size_t>(cell_rows));
  parallelBlocks(cell_rows, 8, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int column = 0; column < cell_columns; ++column) {
        const int x0 = (column * kStep - kStep) << sx, y0 = (row * kStep - kStep) << sy;
        float sum = 0;
        // Every other sample of every other row is enough for a mean.
        for (int y = 0; y < kStep << sy; y += 2 << sy)
          for (int x = 0; x < kStep << sx; x += 2 << sx) {
            const int cy = std::clamp(y0 + y, 0, luma.height - 1), cx = std::clamp(x0 + x, 0, luma.width - 1);
            const int code = (luma.row(cy)[cx] + detail::kSampleUnit / 2) / detail::kSampleUnit;
            sum += table[static_cast<size_t>(std::min(code, kLevels - 1))];
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

// Where each cell of a plane is found in another frame, and how far luma trusts that for each block.
struct PlaneGuide {
  std::vector<std::vector<BlockVector>> cells;
  std::vector<std::vector<float>> trust;
};

// What blocks around it say of a cell: their mean where they agree, else the one that fits the cell best.
BlockVector cellVector(const MotionField& field, const SamplePlane& from, const SamplePlane& to, int column,
                       int row) {
  const int c0 = std::max(column - 1, 0), c1 = std::min(column, field.columns - 1);
  const int r0 = std::max(row - 1, 0), r1 = std::min(row, field.rows - 1);
  const std::array around{field.at(c0, r0), field.at(c1, r0), field.at(c0, r1), field.at(c1, r1)};
  if (const auto mean = detail::agreement(around)) return *mean;
  const int x = column * kStep - kStep, y = row * kStep - kStep;
  BlockVector best = around[0];
  int least = std::numeric_limits<int>::max();
  for (const BlockVector& v : around) {
    const int difference =
        detail::cellDifference(from, to, x, y, detail::nearest(v.dx), detail::nearest(v.dy));
    if (difference >= least) continue;
    least = difference;
    best = v;
  }
  return best;
}

std::vector<BlockVector> cellVectors(const MotionField& field, const SamplePlane& from,
                                     const SamplePlane& to) {
  const int columns = field.columns + 1, rows = field.rows + 1;
  std::vector<BlockVector> cells(static_cast<size_t>(columns) * static_cast<size_t>(rows));
  parallelBlocks(rows, 8, [&](int first, int last) {
    for (int row = first; row < last; ++row)
      for (int column = 0; column < columns; ++column)
        cells[static_cast<size_t>(row) * static_cast<size_t>(columns) + static_cast<size_t>(column)] =
            cellVector(field, from, to, column, row);
  });
  return cells;
}

// Luma's cells and trust, looked up for the cells and blocks of a subsampled plane. Cell k begins at sample
// 8(k − 1); what it covers of luma begins at cell ((k − 1) << shift) + 1.
PlaneGuide subsampled(const PlaneGuide& luma, int luma_columns, int luma_rows, int columns, int rows, int sx,
                      int sy) {
  PlaneGuide guide;
  const int wide = (1 << sx) - 1, high = (1 << sy) - 1;
  for (size_t n = 0; n < luma.cells.size(); ++n) {
    const auto cellAt = [&](int c, int r) {
      return luma
          .cells[n][static_cast<size_t>(std::clamp(r, 0, luma_rows)) * static_cast<size_t>(luma_columns + 1) +
                    static_cast<size_t>(std::clamp(c, 0, luma_columns))];
    };
    std::vector<BlockVector> cells(static_cast<size_t>(columns + 1) * static_cast<size_t>(rows + 1));
    for (int row = 0; row <= rows; ++row)
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
    std::vector<float> trust(static_cast<size_t>(columns) * static_cast<size_t>(rows), 1.0F);
    for (int row = 0; row < rows; ++row)
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
    guide.cells.push_back(std::move(cells));
    guide.trust.push_back(std::move(trust));
  }
  return guide;
}

}  // namespace

void Denoiser::State::denoisePlane(const Held& middle, const std::vector<const Held*>& others, int channel,
                                   const PlaneGuide& guide, std::vector<std::vector<float>>* trust_out,
                                   Frame& out) const {
  const auto c = static_cast<size_t>(channel);
  const SamplePlane& plane = middle.planes[c];
  detail::MergeJob job;
  job.plane = plane.row(0);
  job.stride = plane.stride;
  job.width = plane.width;
  job.height = plane.height;
  job.columns = detail::blocksAlong(plane.width);
  job.rows = detail::blocksAlong(plane.height);
  job.neighbours = static_cast<int>(others.size());
  for (size_t n = 0; n < others.size(); ++n) {
    job.neighbour[n].plane = others[n]->planes[c].row(0);
    job.neighbour[n].cells = guide.cells[n].data();
    job.neighbour[n].trust_in = channel == 0 ? nullptr : guide.trust[n].data();
    job.neighbour[n].trust_out = trust_out == nullptr ? nullptr : (*trust_out)[n].data();
  }
  const std::vector<float> variances = blockVariance(middle, channel, job.columns, job.rows);
  job.variance = variances.data();
  job.spectrum = middle.noise->spectrum[c].data();
  detail::expectedEnergies(job.spectrum, job.expected);
  job.tables = &tables;
  job.tolerance = static_cast<float>(settings.tolerance);
  job.shrink = settings.smoothing > 0 && settings.reach > 0 ? shrink.data() : nullptr;
  job.mix = static_cast<float>(settings.mix);
  job.out = out.planes[c].data;
  job.out_stride = out.planes[c].stride;
  job.bit_depth = out.format.bit_depth;
  // A group does one row of blocks twice: large ones lose little, but all threads want some.
  const int at_once = std::max(6, (job.rows - 1 + 2 * workerThreads() - 1) / (2 * workerThreads()));
  parallelBlocks(job.rows - 1, at_once, [&](int first, int last) {
    progress.check();
    detail::mergeRows(job, first + 1, last + 1);
  });
}

// Motion one frame further than `known` has it: chained, then corrected on the frames themselves. `known`
// holds the fields to the frames between, nearest first.
MotionField Denoiser::State::motionTo(size_t middle, size_t other, std::vector<MotionField>& known) const {
  const bool ahead = other > middle;
  const auto stepFrom = [&](size_t i) -> const MotionField& {
    return ahead ? window[i]->forward : window[i]->backward;
  };
  const size_t distance = ahead ? other - middle : middle - other;
  while (known.size() < distance) {
    const size_t last = ahead ? middle + known.size() : middle - known.size();
    const size_t further = ahead ? last + 1 : last - 1;
    if (known.empty())
      known.push_back(stepFrom(middle));
    else
      known.push_back(detail::refineMotion(window[middle]->motion, window[further]->motion,
                                           window[middle]->noise->motion_sigma,
                                           detail::chained(known.back(), stepFrom(last)), progress));
  }
  return known[distance - 1];
}

// The frame with its specks mended from the frames right before and after it; null where one of them is
// missing. `cells`: vectors in the order of neighboursOf().
std::shared_ptr<const Held> Denoiser::State::withoutSpecks(
    size_t at, const std::vector<std::vector<BlockVector>>& cells) const {
  const std::vector<size_t> others = neighboursOf(at);
  const auto before = std::find(others.begin(), others.end(), at - 1),
             after = std::find(others.begin(), others.end(), at + 1);
  if (at == 0 || before == others.end() || after == others.end()) return nullptr;
  const auto side = [&](auto which) {
    return detail::SpeckSide{&window[*which]->planes, &cells[static_cast<size_t>(which - others.begin())]};
  };
  auto mended = std::make_shared<Held>(*window[at]);
  const PixelFormat& format = mended->frame.format;
  const int found = detail::mendSpecks(mended->planes, format.numPlanes(), format.shiftX(), format.shiftY(),
                                       side(before), side(after), mended->noise->variance[0].data());
  return found > 0 ? mended : nullptr;
}

Frame Denoiser::State::finish(size_t at) const {
  const Held& source = *window[at];
  std::vector<const Held*> others;
  Frame out = makeFrameLike(source.frame, source.frame.width, source.frame.height);
  std::vector<MotionField> fields, ahead, behind;
  for (const size_t i : neighboursOf(at)) {
    others.push_back(window[i].get());
    fields.push_back(motionTo(at, i, i > at ? ahead : behind));
  }
  PlaneGuide luma;
  const int columns = detail::blocksAlong(source.frame.width),
            rows = detail::blocksAlong(source.frame.height);
  for (size_t n = 0; n < others.size(); ++n)
    luma.cells.push_back(cellVectors(fields[n], source.motion.soft, others[n]->motion.soft));
  luma.trust.assign(others.size(),
                    std::vector<float>(static_cast<size_t>(columns) * static_cast<size_t>(rows), 0.0F));
  std::shared_ptr<const Held> mended;
  if (settings.specks > 0) mended = withoutSpecks(at, luma.cells);
  const Held& middle = mended ? *mended : *window[at];
  denoisePlane(middle, others, 0, luma, &luma.trust, out);
  if (middle.frame.format.numPlanes() == 1) return out;
  const detail::SamplePlane& chroma = middle.planes[1];
  const PlaneGuide guide =
      subsampled(luma, columns, rows, detail::blocksAlong(chroma.width), detail::blocksAlong(chroma.height),
                 middle.frame.format.shiftX(), middle.frame.format.shiftY());
  for (const int channel : {1, 2}) denoisePlane(middle, others, channel, guide, nullptr, out);
  return out;
}

std::optional<Frame> Denoiser::push(const Frame& frame, const Progress& progress) {
  State& s = *state_;
  s.progress = progress;
  s.window.push_back(s.take(frame));
  const auto side = static_cast<size_t>(s.settings.frames_each_side);
  if (s.window.size() - 1 < s.next + side) return std::nullopt;
  Frame out = s.finish(s.next);
  if (s.next < side)
    ++s.next;
  else
    s.window.pop_front();
  return out;
}

std::optional<Frame> Denoiser::drain(const Progress& progress) {
  State& s = *state_;
  s.progress = progress;
  if (s.next >= s.window.size()) return std::nullopt;
  return s.finish(s.next++);
}

Frame denoiseOne(const std::vector<Frame>& frames, size_t middle, const NoiseCurve& curve,
                 const DenoiseSettings& settings) {
  const auto side = static_cast<size_t>(settings.frames_each_side);
  const size_t first = middle > side ? middle - side : 0, last = std::min(frames.size(), middle + side + 1);
  Denoiser denoiser(curve, settings, static_cast<int>(middle - first));
  for (size_t i = first; i < last; ++i)
    if (auto done = denoiser.push(frames[i])) return *done;
  if (auto done = denoiser.drain()) return *done;
  throw Error(ErrorKind::BadRequest, "There is no such frame", "", std::to_string(middle), "");
}

}  // namespace glenhaze
