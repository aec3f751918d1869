#include "core/run/reel.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <deque>
#include <memory>

#include "core/base/digest.h"
#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/frame/turn.h"
#include "core/media/sound.h"
#include "core/pipeline/encoding_thread.h"
#include "core/run/ask.h"
#include "core/run/cut_list.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

PictureSize uprightSize(const ClipPlan& plan) {
  const PictureSize size = plan.decision.treatment.delivered({plan.info.width, plan.info.height});
  return plan.info.rotation % 180 == 0 ? size : PictureSize{size.height, size.width};
}

std::string sizeText(const PictureSize& size) {
  return std::to_string(size.width) + " × " + std::to_string(size.height);
}

// What stands in one file must be alike.
void requireAlike(const ClipPlan& plan, const ClipPlan& like) {
  const auto refuse = [&](const std::string& what, const std::string& why, const std::string& remedy) {
    throw Error(ErrorKind::BadRequest, "The clips cannot stand in one file: " + what, plan.info.path.string(),
                why, remedy);
  };
  if (plan.info.variable_rate)
    refuse("the frame rate of one varies", "its frames could not be in step with its sound",
           "Leave it out of the run");
  if (!(uprightSize(plan) == uprightSize(like)))
    refuse("they have different picture sizes",
           sizeText(uprightSize(plan)) + " here, " + sizeText(uprightSize(like)) + " in " +
               like.info.path.filename().string(),
           "Set an output size");
  const Codec codec = plan.decision.treatment.codec;
  if (!(outputFormat(codec, plan.info.format) == outputFormat(codec, like.info.format)))
    refuse("they have different pixel formats", plan.info.pixel_format + " here, " + like.info.pixel_format,
           "Join them apart, or choose ProRes");
  if (!(plan.info.colour == like.info.colour))
    refuse("their colours are meant differently",
           "tags differ from those of " + like.info.path.filename().string(), "Join them apart");
}

// The values of `to` between those of `from` and its own, `share` of the way.
template <typename T>
void mixPlane(const Plane& from, Plane& to, double share) {
  const auto weight = static_cast<int>(std::lround(share * 65536));
  parallelBlocks(to.height, 16, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const T* a = from.row<T>(y);
      T* b = to.row<T>(y);
      for (int x = 0; x < to.width; ++x)
        b[x] = static_cast<T>(
            (static_cast<int64_t>(a[x]) * (65536 - weight) + static_cast<int64_t>(b[x]) * weight + 32768) >>
            16);
    }
  });
}

Frame mixed(const Frame& from, const Frame& to, double share) {
  Frame frame = cloneFrame(to);
  for (int p = 0; p < frame.format.numPlanes(); ++p) {
    const auto i = static_cast<size_t>(p);
    if (frame.format.bytesPerSample() == 1)
      mixPlane<uint8_t>(from.planes[i], frame.planes[i], share);
    else
      mixPlane<uint16_t>(from.planes[i], frame.planes[i], share);
  }
  return frame;
}

// The sound of all parts on one line of time, each going over into the next.
class Mixer {
 public:
  static constexpr int kRate = 48000, kChannels = 2;

  Mixer(std::vector<ClipPlan> parts, const CutList& list) : parts_(std::move(parts)) {
    constexpr double kSoft_s = 0.01;
    const double frame_samples = kRate / list.fps.value();
    int64_t at = 0;
    for (size_t i = 0; i < parts_.size(); ++i) {
      const int64_t end = at + list.events[i].frames;
      spans_.push_back({std::llround(static_cast<double>(at) * frame_samples),
                        std::llround(static_cast<double>(end) * frame_samples)});
      at = end - list.dissolve;
    }
    shared_ = std::llround(static_cast<double>(list.dissolve) * frame_samples);
    soft_ = std::llround(kSoft_s * kRate);
  }

  void fill(std::span<float> samples) {
    const auto count = static_cast<int64_t>(samples.size()) / kChannels;
    std::ranges::fill(samples, 0.0F);
    for (size_t i = 0; i < parts_.size(); ++i) {
      const int64_t from = std::max(at_, spans_[i].first), to = std::min(at_ + count, spans_[i].last);
      if (to <= from) {
        if (spans_[i].last <= at_) reader_of_.erase(i);
        continue;
      }
      part_.assign(static_cast<size_t>((to - from) * kChannels), 0.0F);
      if (SoundReader* reader = readerOf(i)) reader->read(part_);
      for (int64_t k = from; k < to; ++k) {
        const auto loud = static_cast<float>(loudness(i, k));
        for (int64_t c = 0; c < kChannels; ++c)
          samples[static_cast<size_t>((k - at_) * kChannels + c)] +=
              loud * part_[static_cast<size_t>((k - from) * kChannels + c)];
      }
    }
    at_ += count;
  }

 private:
  struct Span {
    int64_t first, last;
  };

  // Linear: what is heard never steps more than its parts do.
  double loudness(size_t part, int64_t sample) const {
    const int64_t over = shared_ > 0 ? shared_ : soft_;
    double loud = 1;
    if (part > 0)
      loud = std::min(loud,
                      (static_cast<double>(sample - spans_[part].first) + 0.5) / static_cast<double>(over));
    if (part + 1 < parts_.size())
      loud =
          std::min(loud, (static_cast<double>(spans_[part].last - sample) - 0.5) / static_cast<double>(over));
    return std::clamp(loud, 0.0, 1.0);
  }

  // Null where the part has no sound that can be read.
  SoundReader* readerOf(size_t part) {
    const ClipInfo& info = parts_[part].info;
    if (info.sound.empty()) return nullptr;
    auto at = reader_of_.find(part);
    if (at == reader_of_.end()) {
      auto reader = std::make_unique<SoundReader>(info, kRate, kChannels);
      reader->seek(std::llround(info.frameTime(parts_[part].decision.treatment.range.first) * kRate));
      at = reader_of_.emplace(part, std::move(reader)).first;
    }
    return at->second.get();
  }

  std::vector<ClipPlan> parts_;
  std::vector<Span> spans_;
  int64_t shared_ = 0, soft_ = 0, at_ = 0;
  std::map<size_t, std::unique_ptr<SoundReader>> reader_of_;
  std::vector<float> part_;
};

class Joiner {
 public:
  Joiner(std::vector<ClipPlan> parts, CutList list, FactStore& store, const Progress& progress)
      : parts_(std::move(parts)), list_(std::move(list)), store_(store), progress_(progress) {}

  // Facts first: what is in the pictures decides what the file would be.
  std::string fingerprint() {
    std::string all = std::to_string(list_.dissolve);
    for (ClipPlan& plan : parts_) {
      plan = answered(plan, store_, {{}, progress_.stop});
      if (!plan.refusal.empty())
        throw Error(ErrorKind::BadRequest, "A clip cannot be rendered", plan.info.path.string(), plan.refusal,
                    "Leave it out of the run");
      all += " " + fingerprintOf(plan.decision.treatment, plan.facts.id);
    }
    return digestOf(all);
  }

  ReelResult make(const OutputPlace& place) {
    const auto started = std::chrono::steady_clock::now();
    EncodingThread encoding([&](const Frame& first) { return openWriter(place, first); });
    try {
      for (size_t i = 0; i < parts_.size(); ++i)
        if (!makePart(i, encoding)) break;
    } catch (...) {
      encoding.abandon();
      throw;
    }
    const WriteResult written = encoding.finish();
    ReelResult result;
    result.path = place.path;
    result.frames = written.frames;
    result.checked = written.checked;
    result.notes = notes_;
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count();
    return result;
  }

 private:
  // The joined file as a clip of its own: the rate of its parts, nothing else of them.
  ClipInfo whole() const {
    ClipInfo info;
    info.path = parts_.front().info.path;
    info.kind = ClipKind::Sequence;
    info.fps = info.nominal_fps = list_.fps;
    info.time_base = {list_.fps.den, list_.fps.num};
    info.frames = list_.frames();
    info.format = parts_.front().info.format;
    return info;
  }

  std::unique_ptr<ClipWriter> openWriter(const OutputPlace& place, const Frame& first) {
    const RenderJob& like = parts_.front().job;
    std::optional<MadeSound> sound;
    const bool any = std::ranges::any_of(list_.events, [](const CutEvent& e) { return e.sound; });
    if (any && like.encode.sound != Sound::Silent) {
      const auto mixer = std::make_shared<Mixer>(parts_, list_);
      sound = MadeSound{Mixer::kRate, Mixer::kChannels,
                        [mixer](std::span<float> samples) { mixer->fill(samples); }};
    }
    return std::make_unique<ClipWriter>(place, whole(), FrameRange{0, list_.frames()}, like.encode, first,
                                        std::move(sound));
  }

  // False when nobody takes frames any more.
  bool makePart(size_t i, EncodingThread& encoding) {
    ClipPlan& plan = parts_[i];
    const auto share = [&](double of) {
      return (static_cast<double>(i) + of) / static_cast<double>(parts_.size());
    };
    std::vector<std::string> notes = plan.decision.notes;
    const Prepared prepared = prepare(plan, store_, notes, partOf(progress_, share(0), share(0.1)));
    for (const std::string& note : notes) notes_.push_back(plan.info.path.filename().string() + ": " + note);
    plan.job.correction = correctionOf(plan.decision.treatment, prepared);
    const int64_t frames = list_.events[i].frames, shared = list_.dissolve;
    const bool last = i + 1 == parts_.size();
    std::deque<Frame> next_tail;
    int64_t made = 0;
    bool wanted = true;
    makeFrames(
        plan.job,
        [&](Frame frame) {
          Frame upright = turnedFrame(frame, plan.info.rotation, plan.info.mirrored);
          if (i > 0 && made < shared) {
            const double weight = static_cast<double>(made + 1) / static_cast<double>(shared + 1);
            upright = mixed(tail_.front(), upright, weight);
            tail_.pop_front();
          }
          const bool kept = !last && made >= frames - shared;
          ++made;
          if (kept)
            next_tail.push_back(std::move(upright));
          else
            wanted = hand(std::move(upright), encoding);
          return wanted;
        },
        partOf(progress_, share(0.1), share(1)));
    if (wanted && made != frames)
      throw Error(ErrorKind::Unreadable, "A clip ends early", plan.info.path.string(),
                  std::to_string(made) + " of " + std::to_string(frames) + " frames can be read",
                  "Set its out point before that");
    tail_ = std::move(next_tail);
    return wanted;
  }

  bool hand(Frame frame, EncodingThread& encoding) {
    frame.index = frame.pts = at_++;
    frame.duration = 1;
    return encoding.push(std::move(frame));
  }

  std::vector<ClipPlan> parts_;
  CutList list_;
  FactStore& store_;
  const Progress& progress_;
  std::deque<Frame> tail_;  // of the part before, not handed on yet
  int64_t at_ = 0;
  std::vector<std::string> notes_;
};

}  // namespace

bool canStandWith(const ClipPlan& output, const ClipPlan& like) {
  try {
    requireAlike(output, like);
    return canShareRate(output.info.nominal_fps, like.info.nominal_fps);
  } catch (const Error&) {
    return false;
  }
}

std::string reelEnding(const EncodeSettings& encode) {
  ClipInfo any;
  if (isStillCodec(encode.codec)) return "";
  if (encode.sound == Sound::Pcm) any.sound.push_back({"pcm_s24le", 2, 48000});
  return outputEnding(any, encode);
}

ReelResult makeReel(std::span<const ClipPlan> plans, const ReelRequest& request, FactStore& store,
                    const Progress& progress) {
  const CutList list = cutListOf(plans, request.output.stem().string(), request.dissolve_s);
  std::vector<ClipPlan> parts;
  std::vector<std::string> left_out;
  for (const ClipPlan& clip : plans)
    for (ClipPlan& plan : outputsOf(clip)) {
      if (isCutInto(plan))
        parts.push_back(std::move(plan));
      else
        left_out.push_back(plan.info.path.filename().string() + " is left out" +
                           (plan.refusal.empty() ? ": it is no film." : ": " + plan.refusal));
    }
  for (const ClipPlan& plan : parts) requireAlike(plan, parts.front());
  const std::string ending = reelEnding(parts.front().job.encode);
  if (request.output.extension() != ending)
    throw Error(ErrorKind::BadRequest, "The joined file's name does not suit its format",
                request.output.string(), "this format goes into " + ending, "Give it that ending");
  OutputPlace place = parts.front().job.place;
  place.path = fs::absolute(request.output).lexically_normal();
  if (place.guard) requireNoSource(*place.guard, place.path);
  for (const ClipPlan& plan : parts)
    if (plan.job.place.path == place.path)
      throw Error(ErrorKind::BadRequest, "The joined film has the name of a part's own output",
                  place.path.string(), "", "Choose another name");
  Joiner joiner(std::move(parts), list, store, progress);
  const std::string fingerprint = joiner.fingerprint();
  RunRecord record(place.path.parent_path());
  const Standing standing = record.standingOf(place.path, fingerprint);
  ReelResult result;
  if (standing == Standing::Current) {
    result.path = place.path;
    result.frames = list.frames();
    result.was_there = true;
  } else {
    place.existing = existingAllowed(standing, request.replace, place.path);
    makeRecorded(record, place, {standing, fingerprint, "", ""}, [&] { result = joiner.make(place); });
  }
  result.parts = static_cast<int>(std::ssize(list.events));
  result.notes.insert(result.notes.begin(), left_out.begin(), left_out.end());
  return result;
}

}  // namespace glenhaze
