#include "core/noise/denoise.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <deque>
#include <span>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/noise/blocks.h"
#include "core/noise/detail/block_kernel.h"
#include "core/noise/detail/guide.h"
#include "core/noise/detail/merge_device.h"
#include "core/noise/detail/noise_model.h"
#include "core/noise/detail/specks.h"

namespace glenhaze {

using detail::BandShares;
using detail::BlockVector;
using detail::kBlock;
using detail::kBlockArea;
using detail::MotionField;
using detail::MotionPicture;
using detail::NoiseModel;
using detail::PlaneGuide;
using detail::SamplePlane;

namespace {

// Of what is left after the frames are merged, this much times its variance is shrunk at smoothing 1 where it
// is all noise; found on photographs (benchmarks/noise_photographs).
constexpr float kShrink = 2.5F;
// What following the motion adds to the error of what is followed, as a share of the noise's variance: places
// are found and fetched to a few hundredths of a sample, and noise that went through a coder is not quite new
// in each frame, that of colour least. Found on photographs, as filmed and as H.264
// (benchmarks/noise_photographs).
constexpr float kForgetting = 0.08F, kForgettingColour = 0.15F;

// A picture, and how much of the noise each of its blocks still has.
struct Layer {
  std::array<SamplePlane, 3> planes;
  std::array<std::vector<BandShares>, 3> shares;  // empty: as it was filmed

  const BandShares* sharesOf(size_t channel) const {
    return shares[channel].empty() ? nullptr : shares[channel].data();
  }
  // The same picture, of the same shape.
  bool shows(const Layer& other, size_t channels) const {
    for (size_t c = 0; c < channels; ++c)
      if (!detail::sameSamples(planes[c], other.planes[c])) return false;
    return true;
  }
};
using LayerPtr = std::shared_ptr<const Layer>;
using MotionPtr = std::shared_ptr<const MotionPicture>;

// Pictures in memory that was used before, where there is some: fresh pages cost as much as what is written
// to them.
template <typename T>
class Reused {
 public:
  // With whatever was in it.
  std::shared_ptr<T> take() {
    for (const std::shared_ptr<T>& one : all_)
      if (one.use_count() == 1) return one;
    return all_.emplace_back(std::make_shared<T>());
  }

 private:
  std::vector<std::shared_ptr<T>> all_;  // those that nobody else holds are free
};

// What was seen before is kept merged into one picture that goes along with the motion. A picture must not
// depend on where in a clip the work began, so each memory ends after a fixed number of frames, and another
// one that began a little before takes over.
constexpr size_t kMemories = 2;

struct Held {
  Frame frame;
  int64_t index = 0;
  std::shared_ptr<const NoiseModel> noise;
  LayerPtr filmed;
  std::array<LayerPtr, kMemories> memories;  // this frame and those before it
  MotionPtr filmed_motion;
  // Of the younger memory: motion for the older one may not hang on what that has forgotten already.
  MotionPtr calm;
  MotionField forward, backward;  // from its memory to the next frame, from the frame to the memory before
  std::array<std::vector<float>, 3> variances;  // of the noise of each block
  bool repeats = false;  // the same samples as the frame before: no evidence of its own
};

// Turns of the memories: from each multiple of `used` on another one is used, which began `ahead` frames
// before that. In between there is only the one that is used: a second one costs as much as it does.
struct Turns {
  int used = 1, ahead = 0;

  explicit Turns(const DenoiseSettings& settings) {
    const int span = 2 + 2 * settings.frames_each_side;
    ahead = span / 2;
    used = 2 * span - ahead;
  }
  size_t usedAt(int64_t index) const { return static_cast<size_t>(index / used % 2); }
  // Whether the one that will be used next is there already.
  bool twoAt(int64_t index) const { return index % used >= used - ahead; }
  bool beginsAt(int64_t index, size_t memory) const {
    return index % used == used - ahead && memory != usedAt(index);
  }
  // Frames from where the memory that is used at a frame began.
  int since(int64_t index) const { return static_cast<int>(index < used ? index : ahead + index % used); }
};

bool sameShape(const Frame& a, const Frame& b) {
  return a.width == b.width && a.height == b.height && a.format == b.format;
}

void requireSettings(const DenoiseSettings& s, const NoiseCurve& curve) {
  const auto fail = [](const std::string& why) {
    throw Error(ErrorKind::BadRequest, "These noise settings cannot be used", "", why, "");
  };
  if (!curve.usable()) fail("there is no noise curve");
  for (const DenoiseKey& key : denoiseKeys())
    if (const double v = key.get(s); !(v >= key.low && v <= key.high))
      fail(std::string(key.name) + " must be from " + exactText(key.low) + " to " + exactText(key.high));
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

void setByName(DenoiseSettings& settings, const std::string& key, const std::string& value) {
  std::string names;
  for (const DenoiseKey& known : kKeys) {
    names += (names.empty() ? "Known: " : ", ") + std::string(known.name);
    if (key != known.name) continue;
    const auto number = parseNumber(value);
    if (!number || !(*number >= known.low && *number <= known.high))
      throw Error(ErrorKind::BadRequest, "The setting noise." + key + " is not usable", value, "",
                  "Give a number from " + exactText(known.low) + " to " + exactText(known.high));
    known.set(settings, *number);
    return;
  }
  throw Error(ErrorKind::BadRequest, "There is no setting of this name", "noise." + key, "", names);
}

struct Denoiser::State {
  Progress progress;  ///< of the call in work
  DenoiseSettings settings;
  detail::BlockTables tables;
  std::shared_ptr<const NoiseModel> noise;  ///< of frames to come
  std::array<float, kBlockArea> shrink;
  std::deque<std::shared_ptr<Held>> window;
  size_t next = 0;               ///< in `window`: the frame to finish next
  int lead = 0;                  ///< frames still to come that are only looked at
  std::optional<int64_t> index;  ///< of the last frame taken

  Reused<Layer> layers;
  Reused<MotionPicture> motion_pictures;

  MotionPtr motionOf(const SamplePlane& luma);
  std::shared_ptr<Layer> emptyLayer();
  std::array<std::vector<float>, 3> variancesOf(const Held& held) const;
  std::shared_ptr<Held> take(Frame frame);
  void follow(Held& before, Held& held) const;
  void remember(const Held* before, Held& held);
  Frame finish(size_t middle) const;
  void release();
  LayerPtr withoutSpecks(size_t at, const std::vector<size_t>& others,
                         const std::vector<std::vector<BlockVector>>& cells) const;
  std::vector<size_t> neighboursOf(size_t middle) const;
  MotionField motionTo(size_t middle, size_t other, std::vector<MotionField>& known) const;
  LayerPtr merged(const Held& held, const LayerPtr& memory, const PlaneGuide& luma, float aged);

  // One plane of a picture against its neighbours.
  struct Work {
    const Held& held;
    const Layer& middle;
    std::vector<const Layer*> others;
    PlaneGuide guide;  // of the plane at hand
  };
  template <typename Target>
  detail::MergeJob mergeJob(const Work& work, int channel, std::vector<std::vector<float>>* trust_out,
                            Target target) const;
  void merge(std::span<const detail::MergeJob> jobs) const;
  template <typename Target>
  void mergePlanes(Work work, Target target) const;
  // The memory that is used at a frame.
  size_t usedAt(const Held& held) const { return Turns(settings).usedAt(held.index); }
};

Denoiser::Denoiser(NoiseCurve curve, const DenoiseSettings& settings, int lead)
    : state_(std::make_unique<State>()) {
  requireSettings(settings, curve);
  State& s = *state_;
  s.settings = settings;
  s.shrink = shrinkOf(settings);
  s.lead = std::max(0, lead);
  s.noise = detail::noiseModel(std::move(curve), settings.luma, settings.chroma);
}

void Denoiser::changeCurve(NoiseCurve curve) {
  requireSettings(state_->settings, curve);
  if (curve == state_->noise->curve) return;
  state_->noise = detail::noiseModel(std::move(curve), state_->settings.luma, state_->settings.chroma);
}

Denoiser::~Denoiser() = default;
Denoiser::Denoiser(Denoiser&&) noexcept = default;
Denoiser& Denoiser::operator=(Denoiser&&) noexcept = default;

std::shared_ptr<Layer> Denoiser::State::emptyLayer() {
  std::shared_ptr<Layer> layer = layers.take();
  for (auto& shares : layer->shares) shares.clear();
  return layer;
}

MotionPtr Denoiser::State::motionOf(const SamplePlane& luma) {
  std::shared_ptr<MotionPicture> made = motion_pictures.take();
  detail::makeMotionPicture(luma, *made);
  return made;
}

// The noise of each block of a frame; with what hard compression left out, as far as that is to be smoothed.
std::array<std::vector<float>, 3> Denoiser::State::variancesOf(const Held& held) const {
  const Frame& frame = held.frame;
  std::array<float, 3> coded{};
  if (settings.blocks > 0) {
    const Blockiness blockiness = measureBlockiness(frame);
    for (size_t c = 0; c < 3; ++c)
      coded[c] = static_cast<float>(settings.blocks * blockiness.variance(c) *
                                    std::min(1.0, c == 0 ? settings.luma : settings.chroma));
  }
  std::array<std::vector<float>, 3> variances;
  const auto& planes = held.filmed->planes;
  const auto gridOf = [&](int c) {
    const SamplePlane& plane = planes[static_cast<size_t>(c)];
    return detail::BlockGrid{c, c == 0 ? 0 : frame.format.shiftX(), c == 0 ? 0 : frame.format.shiftY(),
                             detail::blocksAlong(plane.width), detail::blocksAlong(plane.height)};
  };
  std::vector<detail::BlockColour> colours;  // of luma's grid, then of chroma's
  for (int c = 0; c < frame.format.numPlanes(); ++c) {
    if (c == 1) colours.clear();
    auto& own = variances[static_cast<size_t>(c)];
    const bool coloured = frame.format.numPlanes() == 3 && held.noise->curve.tellsColours(c);
    const float added = coded[static_cast<size_t>(c)];
    own = detail::blockVariances(*held.noise, planes[0], gridOf(c), coloured ? 0 : added);
    if (!coloured) continue;
    if (colours.empty())
      colours = detail::blockColours(planes, gridOf(c), gridOf(1), PrimaryCodes(frame.colour, frame.height));
    const std::vector<float> factors = detail::colourFactors(*held.noise, c, colours);
    for (size_t i = 0; i < own.size(); ++i) own[i] = own[i] * factors[i] + added;
  }
  return variances;
}

std::shared_ptr<Held> Denoiser::State::take(Frame frame) {
  if (frame.colour.matrix == 0 && frame.format.numPlanes() == 3)
    throw Error(ErrorKind::BadRequest, "Noise is removed from luma and chroma only", "",
                "the picture is stored as red, green and blue", "");
  auto held = std::make_shared<Held>();
  held->frame = std::move(frame);
  held->index = index ? *index + 1 : std::max<int64_t>(0, held->frame.index);
  index = held->index;
  held->noise = noise;
  const std::shared_ptr<Layer> filmed = emptyLayer();
  for (int p = 0; p < held->frame.format.numPlanes(); ++p)
    detail::toSamples(held->frame, p, filmed->planes[static_cast<size_t>(p)]);
  held->filmed = filmed;
  held->variances = variancesOf(*held);
  // From here on only what it says of itself is needed: pictures are large.
  held->frame.planes = {};
  Held* before = window.empty() ? nullptr : window.back().get();
  held->repeats = before != nullptr && sameShape(before->frame, held->frame) &&
                  before->filmed->shows(*filmed, static_cast<size_t>(held->frame.format.numPlanes()));
  if (settings.frames_each_side == 0) {
    held->memories.fill(held->filmed);
    return held;
  }
  held->filmed_motion = motionOf(held->filmed->planes[0]);
  if (before != nullptr && !sameShape(before->frame, held->frame)) before = nullptr;
  if (before != nullptr) follow(*before, *held);
  remember(before, *held);
  return held;
}

// The motion between a frame and what is remembered up to the frame before it.
void Denoiser::State::follow(Held& before, Held& held) const {
  const float sigma = held.noise->motion_sigma;
  before.forward = detail::estimateMotion(*before.calm, *held.filmed_motion, sigma, progress);
  held.backward = detail::estimateMotion(*held.filmed_motion, *before.calm, sigma,
                                         detail::turnedAround(before.forward), progress);
}

void Denoiser::State::remember(const Held* before, Held& held) {
  const Turns turns(settings);
  const size_t used = turns.usedAt(held.index);
  if (before == nullptr) {
    held.memories.fill(held.filmed);
    held.calm = held.filmed_motion;
    return;
  }
  if (held.repeats) {
    held.memories = before->memories;
    held.calm = before->calm;
    for (size_t m = 0; m < kMemories; ++m)
      if (turns.beginsAt(held.index, m)) {
        held.memories[m] = held.filmed;
        held.calm = held.filmed_motion;
      }
    return;
  }
  PlaneGuide luma;
  luma.cells.push_back(detail::cellVectors(held.backward, held.filmed_motion->soft, before->calm->soft));
  // What noise of another strength than now is in what is remembered.
  const float ratio = before->noise->motion_sigma / std::max(1e-3F, held.noise->motion_sigma);
  for (size_t m = 0; m < kMemories; ++m) {
    if (turns.beginsAt(held.index, m))
      held.memories[m] = held.filmed;
    else if (m != used && !turns.twoAt(held.index))
      held.memories[m] = nullptr;
    else if (m > 0 && before->memories[m] == before->memories[0] && held.memories[0] != nullptr &&
             held.memories[0] != held.filmed)
      held.memories[m] = held.memories[0];
    else
      held.memories[m] = merged(held, before->memories[m], luma, ratio * ratio);
  }
  const size_t younger = turns.twoAt(held.index) ? 1 - used : used;
  held.calm = motionOf(held.memories[younger]->planes[0]);
}

// A frame with what is remembered merged in; `aged`: the noise's variance then over that of now.
LayerPtr Denoiser::State::merged(const Held& held, const LayerPtr& memory, const PlaneGuide& luma,
                                 float aged) {
  LayerPtr other = memory;
  if (aged != 1) {
    auto own = std::make_shared<Layer>(*memory);
    for (size_t c = 0; c < 3; ++c) {
      if (own->shares[c].empty() && own->planes[c].width > 0)
        own->shares[c].resize(static_cast<size_t>(detail::blocksAlong(own->planes[c].width)) *
                              static_cast<size_t>(detail::blocksAlong(own->planes[c].height)));
      for (BandShares& shares : own->shares[c])
        for (float& share : shares.band) share *= aged;
    }
    other = std::move(own);
  }
  const std::shared_ptr<Layer> out = emptyLayer();
  mergePlanes({held, *held.filmed, {other.get()}, luma}, [&](size_t channel, detail::MergeJob& job) {
    const SamplePlane& from = held.filmed->planes[channel];
    SamplePlane& to = out->planes[channel];
    to.reshape(from.width, from.height);
    out->shares[channel].resize(static_cast<size_t>(job.columns) * static_cast<size_t>(job.rows));
    job.forgetting = channel == 0 ? kForgetting : kForgettingColour;
    job.shrink = nullptr;
    job.mix = 0;
    job.kept = to.row(0);
    job.kept_shares = out->shares[channel].data();
  });
  for (int p = 0; p < held.frame.format.numPlanes(); ++p)
    detail::fillBorder(out->planes[static_cast<size_t>(p)]);
  return out;
}

// Frames after it that are looked at, up to frames_each_side, of the same shape; a repeated frame is passed
// over.
std::vector<size_t> Denoiser::State::neighboursOf(size_t middle) const {
  std::vector<size_t> found;
  const auto side = static_cast<size_t>(settings.frames_each_side);
  // A frame of another shape ends what can be followed.
  for (size_t i = middle + 1; i <= middle + side && i < window.size(); ++i) {
    if (!sameShape(window[i]->frame, window[middle]->frame)) break;
    if (!window[i]->repeats) found.push_back(i);
  }
  return found;
}

// `target(channel, job)` sets where the result goes and what is special about it.
template <typename Target>
detail::MergeJob Denoiser::State::mergeJob(const Work& work, int channel,
                                           std::vector<std::vector<float>>* trust_out, Target target) const {
  const auto c = static_cast<size_t>(channel);
  const Held& held = work.held;
  const SamplePlane& plane = work.middle.planes[c];
  detail::MergeJob job;
  job.plane = plane.row(0);
  job.shares = work.middle.sharesOf(c);
  job.untouched = held.filmed->planes[c].row(0);
  job.stride = plane.stride;
  job.width = plane.width;
  job.height = plane.height;
  job.columns = detail::blocksAlong(plane.width);
  job.rows = detail::blocksAlong(plane.height);
  job.neighbours = static_cast<int>(work.others.size());
  for (size_t n = 0; n < work.others.size(); ++n) {
    job.neighbour[n].plane = work.others[n]->planes[c].row(0);
    job.neighbour[n].shares = work.others[n]->sharesOf(c);
    job.neighbour[n].cells = work.guide.cells[n].data();
    job.neighbour[n].trust_in = channel == 0 ? nullptr : work.guide.trust[n].data();
    job.neighbour[n].trust_out = trust_out == nullptr ? nullptr : (*trust_out)[n].data();
  }
  job.variance = held.variances[c].data();
  job.spectrum = held.noise->spectrum[c].data();
  job.expected = held.noise->expected[c];
  job.tables = &tables;
  job.tolerance = static_cast<float>(settings.tolerance);
  job.shrink = settings.smoothing > 0 && settings.reach > 0 ? shrink.data() : nullptr;
  job.mix = static_cast<float>(settings.mix);
  target(c, job);
  return job;
}

// All of one shape, beside each other.
void Denoiser::State::merge(std::span<const detail::MergeJob> jobs) const {
  progress.check();
  if (doneOnDevice(DeviceWork::Clean, [&](Device& device) {
        for (const detail::MergeJob& job : jobs) detail::mergeOnDevice(device, job);
      }))
    return;
  // A group does one row of blocks twice: large ones lose little, but all threads want some.
  const int rows = jobs[0].rows - 1, wanted = 2 * workerThreads();
  const int at_once = std::max(6, (rows + wanted - 1) / wanted);
  const int groups = (rows + at_once - 1) / at_once;
  parallelBlocks(groups * static_cast<int>(jobs.size()), 1, [&](int block, int) {
    progress.check();
    const int first = block % groups * at_once;
    detail::mergeRows(jobs[static_cast<size_t>(block / groups)], first + 1,
                      std::min(rows, first + at_once) + 1);
  });
}

// Luma first: what it finds out about the motion holds for all planes. `work.guide` has luma's cells.
template <typename Target>
void Denoiser::State::mergePlanes(Work work, Target target) const {
  const SamplePlane& luma = work.middle.planes[0];
  const int columns = detail::blocksAlong(luma.width), rows = detail::blocksAlong(luma.height);
  work.guide.trust.assign(work.others.size(),
                          std::vector<float>(static_cast<size_t>(columns) * static_cast<size_t>(rows), 0.0F));
  const detail::MergeJob of_luma = mergeJob(work, 0, &work.guide.trust, target);
  merge({&of_luma, 1});
  const PixelFormat& format = work.held.frame.format;
  if (format.numPlanes() == 1) return;
  const SamplePlane& chroma = work.middle.planes[1];
  work.guide = detail::subsampled(work.guide, columns, rows, detail::blocksAlong(chroma.width),
                                  detail::blocksAlong(chroma.height), format.shiftX(), format.shiftY());
  const std::array of_chroma{mergeJob(work, 1, nullptr, target), mergeJob(work, 2, nullptr, target)};
  merge(of_chroma);
}

// Motion one frame further than `known` has it: chained, then corrected on the frames themselves. `known`
// holds the fields to the frames between, nearest first.
MotionField Denoiser::State::motionTo(size_t middle, size_t other, std::vector<MotionField>& known) const {
  while (known.size() < other - middle) {
    const size_t last = middle + known.size();
    if (known.empty())
      known.push_back(window[middle]->forward);
    else
      known.push_back(detail::refineMotion(*window[middle]->calm, *window[last + 1]->filmed_motion,
                                           window[middle]->noise->motion_sigma,
                                           detail::chained(known.back(), window[last]->forward), progress));
  }
  return known[other - middle - 1];
}

// What is remembered with its specks mended from the frames right before and after; null where one of them is
// missing. `cells`: vectors in the order of `others`.
LayerPtr Denoiser::State::withoutSpecks(size_t at, const std::vector<size_t>& others,
                                        const std::vector<std::vector<BlockVector>>& cells) const {
  if (at == 0 || others.empty() || others[0] != at + 1) return nullptr;
  const Held &held = *window[at], &before = *window[at - 1];
  if (held.repeats || !sameShape(held.frame, before.frame)) return nullptr;
  const std::vector<BlockVector> back =
      detail::cellVectors(held.backward, held.filmed_motion->soft, before.calm->soft);
  const size_t used = usedAt(held);
  auto mended = std::make_shared<Layer>(*held.memories[used]);
  const PixelFormat& format = held.frame.format;
  const int found =
      detail::mendSpecks(mended->planes, format.numPlanes(), format.shiftX(), format.shiftY(),
                         {&before.memories[used]->planes, &back},
                         {&window[at + 1]->filmed->planes, &cells[0]}, held.noise->variance[0].data());
  return found > 0 ? mended : nullptr;
}

Frame Denoiser::State::finish(size_t at) const {
  const Held& held = *window[at];
  Frame out = makeFrameLike(held.frame, held.frame.width, held.frame.height);
  std::vector<const Layer*> others;
  PlaneGuide luma;
  std::vector<MotionField> ahead;
  const std::vector<size_t> neighbours = neighboursOf(at);
  for (const size_t i : neighbours) {
    others.push_back(window[i]->filmed.get());
    luma.cells.push_back(
        detail::cellVectors(motionTo(at, i, ahead), held.calm->soft, window[i]->filmed_motion->soft));
  }
  LayerPtr mended;
  if (settings.specks > 0) mended = withoutSpecks(at, neighbours, luma.cells);
  mergePlanes({held, mended ? *mended : *held.memories[usedAt(held)], others, std::move(luma)},
              [&](size_t channel, detail::MergeJob& job) {
                job.out = out.planes[channel].data;
                job.out_stride = out.planes[channel].stride;
                job.bit_depth = out.format.bit_depth;
              });
  return out;
}

// What nobody asks for any more: pictures are large.
void Denoiser::State::release() {
  // The frame before the one to be finished is looked at for specks, the last one by the frame to come.
  const bool specks = settings.specks > 0;
  while (next > (specks ? 1U : 0U) && window.size() > 1) {
    window.pop_front();
    --next;
  }
  for (size_t i = 0; i + 1 < window.size(); ++i) {
    Held& held = *window[i];
    // Only what is still ahead is followed to.
    if (i < next || (i == next && !specks)) held.filmed_motion = nullptr;
    // The memory that is not used yet went on to the next frame.
    if (!specks) held.memories[1 - usedAt(held)] = nullptr;
  }
}

std::optional<Frame> Denoiser::push(Frame frame, const Progress& progress) {
  State& s = *state_;
  s.progress = progress;
  s.window.push_back(s.take(std::move(frame)));
  std::optional<Frame> done;
  if (s.lead > 0) {
    --s.lead;
    ++s.next;
  } else if (s.window.size() - 1 >= s.next + static_cast<size_t>(s.settings.frames_each_side)) {
    done = s.finish(s.next++);
  }
  s.release();
  return done;
}

std::optional<Frame> Denoiser::drain(const Progress& progress) {
  State& s = *state_;
  s.progress = progress;
  if (s.next >= s.window.size()) return std::nullopt;
  Frame done = s.finish(s.next++);
  s.release();
  return done;
}

int Denoiser::looksBack(const DenoiseSettings& settings, int64_t index) {
  return settings.frames_each_side == 0 ? 0 : Turns(settings).since(index);
}

Frame denoiseOne(const std::vector<Frame>& frames, size_t middle, const NoiseCurve& curve,
                 const DenoiseSettings& settings) {
  Denoiser denoiser(curve, settings, static_cast<int>(middle));
  const size_t last = std::min(frames.size(), middle + static_cast<size_t>(settings.frames_each_side) + 1);
  for (size_t i = 0; i < last; ++i)
    if (auto done = denoiser.push(frames[i])) return *done;
  if (auto done = denoiser.drain()) return *done;
  throw Error(ErrorKind::BadRequest, "There is no such frame", "", std::to_string(middle), "");
}

}  // namespace glenhaze
