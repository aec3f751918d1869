#include "core/noise/denoise.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/noise/detail/block_kernel.h"

namespace glenhaze {

using detail::BlockVector;
using detail::FloatPlane;
using detail::kBlock;
using detail::kBlockArea;
using detail::kStep;
using detail::MotionField;

namespace {

constexpr int kLevels = 256;
// Of what is left after the frames are merged, this much times its variance is shrunk at smoothing 1.
constexpr float kShrink = 1.6F;

struct Held {
  Frame frame;
  std::array<FloatPlane, 3> planes;
  detail::MotionPicture motion;
  MotionField forward, backward;  ///< to the frames after and before; empty where there is none of its size
  bool repeats = false;           ///< the same samples as the frame before: no evidence of its own
};

void requireSettings(const DenoiseSettings& s, const NoiseCurve& curve) {
  const auto fail = [](const std::string& why) {
    throw Error(ErrorKind::BadRequest, "These noise settings cannot be used", "", why, "");
  };
  if (!curve.usable()) fail("there is no noise curve");
  if (s.frames_each_side < 0 || s.frames_each_side > 4) fail("frames to each side must be 0 to 4");
  if (s.luma < 0 || s.luma > 4 || s.chroma < 0 || s.chroma > 4) fail("strengths must be 0 to 4");
  if (s.smoothing < 0 || s.smoothing > 3) fail("smoothing must be 0 to 3");
  if (s.tolerance < 0.25 || s.tolerance > 4) fail("tolerance must be 0.25 to 4");
  if (s.reach < 0 || s.reach > kNoiseOctaves) fail("reach must be 0 to 4 octaves");
  if (s.mix < 0 || s.mix > 1) fail("the share mixed back must be 0 to 1");
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

struct Denoiser::State {
  Progress progress;  ///< of the call in work
  NoiseCurve curve;
  DenoiseSettings settings;
  detail::BlockTables tables;
  std::array<std::array<float, kBlockArea>, 3> spectrum;
  std::array<float, kBlockArea> shrink;
  std::array<std::array<float, kLevels>, 3> variance;  ///< by luma code, strength included
  std::deque<std::shared_ptr<Held>> window;
  size_t next = 0;  ///< in `window`: the frame to finish next
  bool draining = false;

  std::shared_ptr<Held> take(const Frame& frame) const;
  Frame finish(size_t middle) const;
  std::vector<size_t> neighboursOf(size_t middle) const;
  /// Noise at middle grey stands for the picture where motion is concerned.
  float motionSigma() const { return static_cast<float>(curve.sigmaAt(0, 110)); }
  MotionField motionTo(size_t middle, size_t other, std::vector<MotionField>& known) const;
  void removeFrom(const Held& middle, const std::vector<const Held*>& others, Frame& out) const;
  std::vector<float> blockVariance(const Held& held, int channel, int columns, int rows) const;
  void denoisePlane(const Held& middle, const std::vector<const Held*>& others,
                    const std::vector<MotionField>& fields, int channel,
                    std::vector<std::vector<float>>& trust, Frame& out) const;
};

Denoiser::Denoiser(NoiseCurve curve, const DenoiseSettings& settings, int lead)
    : state_(std::make_unique<State>()) {
  requireSettings(settings, curve);
  State& s = *state_;
  s.curve = std::move(curve);
  s.settings = settings;
  s.shrink = shrinkOf(settings);
  s.next = static_cast<size_t>(std::clamp(lead, 0, settings.frames_each_side));
  for (size_t c = 0; c < 3; ++c) {
    s.spectrum[c] = spectrumOf(s.curve.octaves[c]);
    const double strength = c == 0 ? settings.luma : settings.chroma;
    for (int level = 0; level < kLevels; ++level)
      s.variance[c][static_cast<size_t>(level)] =
          static_cast<float>(std::pow(strength * s.curve.sigmaAt(static_cast<int>(c), level), 2));
  }
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
  for (int p = 0; p < frame.format.numPlanes(); ++p)
    held->planes[static_cast<size_t>(p)] = detail::floatPlane(frame, p);
  if (settings.frames_each_side > 0) held->motion = detail::motionPicture(held->planes[0]);
  if (window.empty()) return held;
  Held& before = *window.back();
  held->repeats = sameSamples(before.frame, frame);
  if (settings.frames_each_side > 0 && before.frame.width == frame.width &&
      before.frame.height == frame.height) {
    before.forward = detail::estimateMotion(before.motion, held->motion, motionSigma(), progress);
    held->backward = detail::estimateMotion(held->motion, before.motion, motionSigma(),
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
  const FloatPlane& luma = held.planes[0];
  const int sx = channel == 0 ? 0 : held.frame.format.shiftX(),
            sy = channel == 0 ? 0 : held.frame.format.shiftY();
  const auto& table = variance[static_cast<size_t>(channel)];
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
            sum += table[static_cast<size_t>(
                std::clamp(static_cast<int>(luma.row(cy)[cx] + 0.5F), 0, kLevels - 1))];
          }
        cells[static_cast<size_t>(row) * static_cast<size_t>(cell_columns) + static_cast<size_t>(column)] =
            sum / 16;
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

// Motion and trust of luma, looked up for the blocks of a subsampled plane.
struct ChannelGuide {
  std::vector<std::vector<BlockVector>> vectors;
  std::vector<std::vector<float>> trust;
};

namespace {

ChannelGuide guideFor(const std::vector<MotionField>& fields,
                      const std::vector<std::vector<float>>& luma_trust, int columns, int rows, int sx,
                      int sy) {
  ChannelGuide guide;
  for (size_t n = 0; n < fields.size(); ++n) {
    const MotionField& field = fields[n];
    std::vector<BlockVector> vectors(static_cast<size_t>(columns) * static_cast<size_t>(rows));
    std::vector<float> trust(vectors.size(), 1.0F);
    for (int row = 0; row < rows; ++row)
      for (int column = 0; column < columns; ++column) {
        const auto at = static_cast<size_t>(row) * static_cast<size_t>(columns) + static_cast<size_t>(column);
        // The luma block with the same middle, and those that lie within this one's area.
        const int wide = (1 << sx) - 1, high = (1 << sy) - 1;
        const int c0 = ((column * kStep - kStep) << sx) / kStep + 1,
                  r0 = ((row * kStep - kStep) << sy) / kStep + 1;
        const int mc = std::clamp(c0 + wide, 0, field.columns - 1),
                  mr = std::clamp(r0 + high, 0, field.rows - 1);
        const BlockVector v = field.at(mc, mr);
        vectors[at] = {v.dx / static_cast<float>(1 << sx), v.dy / static_cast<float>(1 << sy)};
        for (int j = 0; j <= 2 * high; ++j)
          for (int i = 0; i <= 2 * wide; ++i) {
            const int c = std::clamp(c0 + i, 0, field.columns - 1), r = std::clamp(r0 + j, 0, field.rows - 1);
            trust[at] = std::min(trust[at],
                                 luma_trust[n][static_cast<size_t>(r) * static_cast<size_t>(field.columns) +
                                               static_cast<size_t>(c)]);
          }
      }
    guide.vectors.push_back(std::move(vectors));
    guide.trust.push_back(std::move(trust));
  }
  return guide;
}

}  // namespace

void Denoiser::State::denoisePlane(const Held& middle, const std::vector<const Held*>& others,
                                   const std::vector<MotionField>& fields, int channel,
                                   std::vector<std::vector<float>>& trust, Frame& out) const {
  const auto c = static_cast<size_t>(channel);
  const FloatPlane& plane = middle.planes[c];
  const int columns = detail::blocksAlong(plane.width), rows = detail::blocksAlong(plane.height);
  const std::vector<float> noise = blockVariance(middle, channel, columns, rows);
  const bool luma = channel == 0;
  ChannelGuide guide;
  if (!luma)
    guide =
        guideFor(fields, trust, columns, rows, middle.frame.format.shiftX(), middle.frame.format.shiftY());
  if (luma)
    trust.assign(others.size(),
                 std::vector<float>(static_cast<size_t>(columns) * static_cast<size_t>(rows), 0.0F));
  const auto stripe_samples = static_cast<size_t>(columns + 1) * kStep * kBlock;
  std::vector<float> stripes(stripe_samples * static_cast<size_t>(rows));
  parallelBlocks(rows, 1, [&](int first, int last) {
    for (int row = first; row < last; ++row) {
      progress.check();
      const size_t at = static_cast<size_t>(row) * static_cast<size_t>(columns);
      detail::StripeJob job;
      job.plane = plane.row(0);
      job.stride = plane.stride;
      job.width = plane.width;
      job.height = plane.height;
      job.y = row * kStep - kStep;
      job.columns = columns;
      job.neighbours = static_cast<int>(others.size());
      for (size_t n = 0; n < others.size(); ++n) {
        job.neighbour[n].plane = others[n]->planes[c].row(0);
        job.neighbour[n].vectors = luma ? fields[n].vectors.data() + at : guide.vectors[n].data() + at;
        job.neighbour[n].trust_in = luma ? nullptr : guide.trust[n].data() + at;
        job.neighbour[n].trust_out = luma ? trust[n].data() + at : nullptr;
      }
      job.variance = noise.data() + at;
      job.spectrum = spectrum[c].data();
      job.taps = tables.taps;
      job.window = tables.window;
      job.tolerance = static_cast<float>(settings.tolerance);
      job.shrink = settings.smoothing > 0 && settings.reach > 0 ? shrink.data() : nullptr;
      job.mix = static_cast<float>(settings.mix);
      job.out = stripes.data() + stripe_samples * static_cast<size_t>(row);
      detail::processStripe(job);
    }
  });
  // Every row of samples is covered by two rows of blocks.
  FloatPlane result(plane.width, plane.height);
  const ptrdiff_t stripe_stride = static_cast<ptrdiff_t>(columns + 1) * kStep;
  parallelBlocks(plane.height, 32, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const int low = (y + kStep) / kStep, high = low - 1;
      const float* a = stripes.data() + stripe_samples * static_cast<size_t>(low) +
                       (y + kStep - low * kStep) * stripe_stride + kStep;
      const float* b = stripes.data() + stripe_samples * static_cast<size_t>(high) +
                       (y + kStep - high * kStep) * stripe_stride + kStep;
      float* to = result.row(y);
      for (int x = 0; x < plane.width; ++x) to[x] = a[x] + b[x];
    }
  });
  detail::storePlane(result, out, channel);
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
      known.push_back(detail::estimateMotion(window[middle]->motion, window[further]->motion, motionSigma(),
                                             detail::chained(known.back(), stepFrom(last)), progress));
  }
  return known[distance - 1];
}

Frame Denoiser::State::finish(size_t at) const {
  const Held& middle = *window[at];
  std::vector<const Held*> others;
  Frame out = makeFrameLike(middle.frame, middle.frame.width, middle.frame.height);
  std::vector<MotionField> fields, ahead, behind;
  for (const size_t i : neighboursOf(at)) {
    others.push_back(window[i].get());
    fields.push_back(motionTo(at, i, i > at ? ahead : behind));
  }
  std::vector<std::vector<float>> trust;
  for (int c = 0; c < middle.frame.format.numPlanes(); ++c)
    denoisePlane(middle, others, fields, c, trust, out);
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
