#include "core/run/show.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/frame/caption.h"
#include "core/frame/turn.h"
#include "core/media/sound.h"
#include "core/pipeline/encoding_thread.h"
#include "core/run/ask.h"

namespace glenhaze {
namespace fs = std::filesystem;

namespace {

// How things travel: a whole round in so many seconds, and so far from the middle, shares of the picture.
constexpr double kDividerRound_s = 6, kDividerReach = 0.32;
constexpr double kCircleRound_s = 9, kCircleReachX = 0.28, kCircleReachY = 0.24;
constexpr double kCircleRadius = 0.24;  // of the shorter side
constexpr double kLarger = 2;           // inside the circle

struct Circle {
  double x = 0, y = 0, radius = 0;
};

double dividerAt(int width, double seconds) {
  return width * (0.5 + kDividerReach * std::sin(2 * std::numbers::pi * seconds / kDividerRound_s));
}

Circle circleAt(int width, int height, double seconds) {
  const double turn = 2 * std::numbers::pi * seconds / kCircleRound_s;
  return {width * (0.5 + kCircleReachX * std::cos(turn)), height * (0.5 + kCircleReachY * std::sin(2 * turn)),
          kCircleRadius * std::min(width, height)};
}

// Half the thickness of lines.
double lineOf(int width) { return std::max(1.0, width / 1280.0); }

double whiteOf(const Frame& frame, int plane) {
  const bool rgb = frame.colour.matrix == 0;
  if (plane > 0 && !rgb) return blackValue(frame.format, frame.colour, plane);
  return frame.format.maxValue() * (rgb || frame.colour.full_range ? 1.0 : 235.0 / 255);
}

// Each sample of the result from its place, in px of luma.
template <typename T, typename Choose>
void compose(Frame& out, int plane, const Choose& choose) {
  Plane& to = out.planes[static_cast<size_t>(plane)];
  const int sx = plane == 0 ? 0 : out.format.shiftX(), sy = plane == 0 ? 0 : out.format.shiftY();
  parallelBlocks(to.height, 16, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < to.width; ++x)
        to.row<T>(y)[x] =
            static_cast<T>(std::lround(choose(x, y, (x + 0.5) * (1 << sx), (y + 0.5) * (1 << sy), plane)));
  });
}

template <typename Choose>
void composeAll(Frame& out, const Choose& choose) {
  for (int p = 0; p < out.format.numPlanes(); ++p) {
    if (out.format.bytesPerSample() == 1)
      compose<uint8_t>(out, p, choose);
    else
      compose<uint16_t>(out, p, choose);
  }
}

double sampleAt(const Frame& frame, int plane, int x, int y) {
  return frame.planes[static_cast<size_t>(plane)].at(x, y, frame.format.bytesPerSample());
}

// Between samples, at a place in px of luma.
double between(const Frame& frame, int plane, double x, double y) {
  const Plane& p = frame.planes[static_cast<size_t>(plane)];
  const int sx = plane == 0 ? 0 : frame.format.shiftX(), sy = plane == 0 ? 0 : frame.format.shiftY();
  const double u = std::clamp(x / (1 << sx) - 0.5, 0.0, p.width - 1.0),
               v = std::clamp(y / (1 << sy) - 0.5, 0.0, p.height - 1.0);
  const int x0 = static_cast<int>(u), y0 = static_cast<int>(v);
  const int x1 = std::min(x0 + 1, p.width - 1), y1 = std::min(y0 + 1, p.height - 1);
  const double a = u - x0, b = v - y0;
  return (1 - b) * ((1 - a) * sampleAt(frame, plane, x0, y0) + a * sampleAt(frame, plane, x1, y0)) +
         b * ((1 - a) * sampleAt(frame, plane, x0, y1) + a * sampleAt(frame, plane, x1, y1));
}

Frame divided(const Frame& before, const Frame& after, double seconds) {
  Frame out = makeFrameLike(after, after.width, after.height);
  const double at = dividerAt(after.width, seconds), line = lineOf(after.width);
  composeAll(out, [&](int x, int y, double px, double, int plane) {
    if (std::abs(px - at) <= line) return whiteOf(out, plane);
    return sampleAt(px < at ? before : after, plane, x, y);
  });
  return out;
}

Frame circled(const Frame& before, const Frame& after, double seconds) {
  Frame out = cloneFrame(after);
  const Circle c = circleAt(after.width, after.height, seconds);
  const double line = lineOf(after.width);
  composeAll(out, [&](int x, int y, double px, double py, int plane) {
    const double away = std::hypot(px - c.x, py - c.y);
    if (away > c.radius + line) return sampleAt(after, plane, x, y);
    if (away > c.radius - line || std::abs(px - c.x) <= line) return whiteOf(out, plane);
    return between(px < c.x ? before : after, plane, c.x + (px - c.x) / kLarger, c.y + (py - c.y) / kLarger);
  });
  return out;
}

// Half as large each, in the middle of a black picture.
Frame beside(const Frame& before, const Frame& after) {
  Frame out = makeFrameLike(after, after.width, after.height);
  const int type = out.format.bytesPerSample() == 1 ? CV_8U : CV_16U;
  for (int p = 0; p < out.format.numPlanes(); ++p) {
    const auto i = static_cast<size_t>(p);
    Plane& to = out.planes[i];
    cv::Mat whole(to.height, to.width, type, to.data, static_cast<size_t>(to.stride));
    whole.setTo(blackValue(out.format, out.colour, p));
    const cv::Size half(to.width / 2, to.height / 2);
    for (const int side : {0, 1}) {
      const Plane& from = (side == 0 ? before : after).planes[i];
      const cv::Mat picture(from.height, from.width, type, from.data, static_cast<size_t>(from.stride));
      cv::resize(picture,
                 whole(cv::Rect(side * (to.width - half.width), (to.height - half.height) / 2, half.width,
                                half.height)),
                 half, 0, 0, cv::INTER_AREA);
    }
  }
  return out;
}

// Where the two captions stand: upper left corners.
std::array<std::pair<int, int>, 2> captionPlaces(ShowKind kind, int width, int height, double seconds,
                                                 const Caption& left, const Caption& right) {
  const int room = height / 40;
  if (kind == ShowKind::Beside) {
    const int y = height / 2 + height / 4 + room / 2;
    return {{{(width / 2 - left.width()) / 2, y}, {width / 2 + (width / 2 - right.width()) / 2, y}}};
  }
  if (kind == ShowKind::Circle) {
    const Circle c = circleAt(width, height, seconds);
    const int x = static_cast<int>(c.x), y = static_cast<int>(c.y + c.radius) + room / 2;
    return {{{x - left.width() - room / 4, y}, {x + room / 4, y}}};
  }
  return {{{room, room}, {width - right.width() - room, room}}};
}

struct Target {
  Codec codec = Codec::H264;
  bool still = false;
};

Target targetOf(const fs::path& output, const EncodeSettings& usual) {
  const std::string ending = output.extension().string();
  if (ending == ".mp4") return {usual.codec == Codec::H265 ? Codec::H265 : Codec::H264, false};
  if (ending == ".mov") return {Codec::ProRes422HQ, false};
  if (ending == ".mkv") return {Codec::Ffv1, false};
  if (ending == ".png") return {Codec::Png, true};
  if (ending == ".jpg" || ending == ".jpeg") return {Codec::Jpeg, true};
  if (ending == ".tif" || ending == ".tiff") return {Codec::Tiff, true};
  throw Error(ErrorKind::BadRequest, "This ending says no format", output.string(), "",
              "Use .mp4, .mov, .mkv, .png, .jpg or .tif");
}

// Source and result of each frame, put together and on their way to the file.
class Shower {
 public:
  Shower(ClipPlan plan, const ShowRequest& request, const Target& target)
      : plan_(std::move(plan)),
        request_(request),
        target_(target),
        range_(rangeOf(plan_, target.still)),
        reader_(plan_.info, plan_.job.reading()),
        plain_(plainCorrection(), {plan_.info.width, plan_.info.height}, plainOptions()) {
    plan_.job.range = range_;
    // Both in the source's own format, so that they can be put together; the writer brings it into its own.
    plan_.job.encode.codec = kOwnFormat;
    if (range_.first > 0) reader_.seek(range_.first);
  }

  ShowResult run(const OutputPlace& place, const Progress& progress) {
    EncodingThread encoding([&](const Frame& first) { return openWriter(place, first); });
    try {
      makeFrames(
          plan_.job, [&](const Frame& after) { return encoding.push(together(after)); }, progress);
    } catch (...) {
      encoding.abandon();
      throw;
    }
    const WriteResult written = encoding.finish();
    return {written.path, written.frames};
  }

 private:
  static constexpr Codec kOwnFormat = Codec::Ffv1;

  // Of a still the frame in the middle.
  static FrameRange rangeOf(const ClipPlan& plan, bool still) {
    const FrameRange range = plan.decision.treatment.range;
    const int64_t middle = range.first + range.count() / 2;
    return still ? FrameRange{middle, middle + 1} : range;
  }

  // The size of the result, and nothing else of it.
  Correction plainCorrection() const {
    Correction plain;
    plain.output = plan_.job.correction.output;
    plain.canvas = plan_.job.correction.canvas;
    return plain;
  }
  ChainOptions plainOptions() const {
    ChainOptions options;
    options.first = range_.first;
    options.format = [](const Frame& frame) {
      return frame.colour.matrix == 0 ? frame.format : outputFormat(kOwnFormat, frame.format);
    };
    return options;
  }

  Frame together(const Frame& after) {
    std::optional<FinishedFrame> before;
    while (auto source = reader_.next()) {
      if (source->index < after.index) continue;
      before = plain_.push(*source);
      break;
    }
    const int turned = plan_.info.rotation;
    const Frame result = turnedFrame(after, turned, plan_.info.mirrored);
    const Frame filmed = before ? turnedFrame(before->picture, turned, plan_.info.mirrored) : result;
    const double seconds = static_cast<double>(made_) / plan_.info.nominal_fps.value();
    Frame frame = shownTogether(filmed, result, request_.kind, seconds);
    caption(frame, seconds);
    frame.index = frame.pts = made_++;
    frame.duration = 1;
    return frame;
  }

  void caption(Frame& frame, double seconds) {
    // All frames are of one size: they are drawn once.
    if (captions_.empty()) {
      const int px = std::clamp(frame.height / 30, 8, 200);
      for (const std::string& text : {request_.before, request_.after}) captions_.emplace_back(text, px);
    }
    const auto places =
        captionPlaces(request_.kind, frame.width, frame.height, seconds, captions_[0], captions_[1]);
    if (!request_.before.empty()) captions_[0].draw(frame, places[0].first, places[0].second);
    if (!request_.after.empty()) captions_[1].draw(frame, places[1].first, places[1].second);
  }

  std::unique_ptr<ClipWriter> openWriter(const OutputPlace& place, const Frame& first) const {
    ClipInfo info;
    info.path = plan_.info.path;
    info.kind = target_.still ? ClipKind::Still : ClipKind::Sequence;
    info.fps = info.nominal_fps = plan_.info.nominal_fps;
    info.time_base = {info.fps.den, info.fps.num};
    info.frames = range_.count();
    info.format = plan_.info.format;
    std::optional<MadeSound> sound;
    const Sound wanted = plan_.decision.treatment.sound;
    if (!target_.still && !plan_.info.sound.empty() && wanted != Sound::None && wanted != Sound::Silent) {
      MadeSound made;
      const auto reader = std::make_shared<SoundReader>(plan_.info, made.sample_rate, made.channels);
      reader->seek(std::llround(plan_.info.frameTime(range_.first) * made.sample_rate));
      made.fill = [reader](std::span<float> samples) { reader->read(samples); };
      sound = std::move(made);
    }
    EncodeSettings encode = plan_.job.encode;
    encode.codec = target_.codec;
    return std::make_unique<ClipWriter>(place, info, FrameRange{0, range_.count()}, encode, first,
                                        std::move(sound));
  }

  ClipPlan plan_;
  const ShowRequest& request_;
  Target target_;
  FrameRange range_;
  ClipReader reader_;
  Chain plain_;
  std::vector<Caption> captions_;
  int64_t made_ = 0;
};

}  // namespace

std::optional<ShowKind> showKindFromName(const std::string& name) {
  if (name == "divider") return ShowKind::Divider;
  if (name == "beside") return ShowKind::Beside;
  if (name == "circle") return ShowKind::Circle;
  return std::nullopt;
}

Frame shownTogether(const Frame& before, const Frame& after, ShowKind kind, double seconds) {
  if (kind == ShowKind::Beside) return beside(before, after);
  return kind == ShowKind::Circle ? circled(before, after, seconds) : divided(before, after, seconds);
}

ShowResult makeShow(const ClipPlan& plan, const ShowRequest& request, FactStore& store,
                    const Progress& progress) {
  ClipPlan ready = answered(plan, store, partOf(progress, 0, 0.1));
  if (!ready.refusal.empty())
    throw Error(ErrorKind::BadRequest, "There is nothing to show", ready.info.path.string(), ready.refusal,
                "");
  const Target target = targetOf(request.output, ready.job.encode);
  if (!target.still && ready.info.variable_rate)
    throw Error(ErrorKind::BadRequest, "This clip cannot be shown as a film", ready.info.path.string(),
                "its frame rate varies, and its sound would not be in step", "Make a still of it");
  std::vector<std::string> notes;
  ready.job.correction =
      correctionOf(ready.decision.treatment, prepare(ready, store, notes, partOf(progress, 0.1, 0.3)));
  OutputPlace place = ready.job.place;
  place.path = fs::absolute(request.output).lexically_normal();
  place.temporary.clear();
  if (place.guard) requireNoSource(*place.guard, place.path);
  place.existing = request.overwrite ? Existing::ReplaceFile : Existing::Refuse;
  return Shower(std::move(ready), request, target).run(place, partOf(progress, 0.3, 1));
}

}  // namespace glenhaze
