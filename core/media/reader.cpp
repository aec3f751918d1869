#include "core/media/reader.h"

extern "C" {
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
}

#include <algorithm>
#include <array>
#include <utility>
#include <vector>

#include "core/frame/av_format.h"
#include "core/media/detail/ffmpeg.h"

namespace glenhaze {

using detail::FramePtr;

namespace {

// libavfilter graph with one filter; built for the first frame's format.
class Deinterlacer {
 public:
  Deinterlacer(const AVFrame& first, AVRational time_base) : graph_(avfilter_graph_alloc()) {
    std::array<char, 256> args{};
    const AVRational aspect =
        first.sample_aspect_ratio.den > 0 ? first.sample_aspect_ratio : AVRational{0, 1};
    std::snprintf(args.data(), args.size(), "video_size=%dx%d:pix_fmt=%d:time_base=%d/%d:pixel_aspect=%d/%d",
                  first.width, first.height, first.format, time_base.num, time_base.den, aspect.num,
                  std::max(aspect.den, 1));
    AVFilterContext* filter = nullptr;
    create(&source_, "buffer", args.data());
    create(&filter, "bwdif", "mode=send_frame:deint=all");
    create(&sink_, "buffersink", nullptr);
    check(avfilter_link(source_, 0, filter, 0));
    check(avfilter_link(filter, 0, sink_, 0));
    check(avfilter_graph_config(graph_.get(), nullptr));
  }

  void push(AVFrame* frame) { check(av_buffersrc_add_frame(source_, frame)); }
  FramePtr pull() {
    FramePtr frame = detail::makeAvFrame();
    return av_buffersink_get_frame(sink_, frame.get()) >= 0 ? std::move(frame) : nullptr;
  }
  AVRational timeBase() const { return av_buffersink_get_time_base(sink_); }

 private:
  void create(AVFilterContext** context, const char* name, const char* args) {
    check(
        avfilter_graph_create_filter(context, avfilter_get_by_name(name), name, args, nullptr, graph_.get()));
  }
  static void check(int code) {
    if (code < 0)
      throw Error(ErrorKind::Unreadable, "Cannot deinterlace the clip", "", detail::avText(code), "");
  }
  detail::GraphPtr graph_;
  AVFilterContext* source_ = nullptr;
  AVFilterContext* sink_ = nullptr;
};

}  // namespace

struct ClipReader::State {
  ClipInfo info;
  ReadOptions options;
  detail::InputPtr input;
  detail::CodecPtr codec;
  detail::PacketPtr packet = detail::makePacket();
  detail::ScalerPtr scaler;
  std::unique_ptr<Deinterlacer> deinterlacer;
  int video = -1;
  bool started = false;  ///< frames have come since the file was opened
  bool draining = false;
  bool filter_flushed = false;
  int64_t next_index = 0;
  int64_t damaged = 0;
  int64_t skip_before_pts = AV_NOPTS_VALUE;
  std::vector<int64_t> stamps;  ///< sorted; filled on the first seek in a clip of varying rate

  State(const ClipInfo& clip, const ReadOptions& read_options) : info(clip), options(read_options) { open(); }

  void open();
  FramePtr decodeOne();
  FramePtr filtered();
  Frame convert(FramePtr frame);
  int64_t stampOf(int64_t index);
  int64_t indexOf(int64_t pts);
  void rewind();
};

void ClipReader::State::open() {
  const std::string name = info.path.string();
  input = detail::openInput(info.path);
  video = detail::findVideo(*input);
  if (video < 0)
    throw Error(ErrorKind::Unreadable, "The file holds no picture", name, "only sound or data", "");
  for (unsigned i = 0; i < input->nb_streams; ++i)
    if (static_cast<int>(i) != video) input->streams[i]->discard = AVDISCARD_ALL;
  const AVCodecParameters* parameters = input->streams[video]->codecpar;
  const AVCodec* decoder = avcodec_find_decoder(parameters->codec_id);
  if (decoder == nullptr)
    throw Error(ErrorKind::Unreadable, "Cannot decode the clip", name,
                std::string("no decoder for ") + avcodec_get_name(parameters->codec_id), "");
  codec.reset(avcodec_alloc_context3(decoder));
  avcodec_parameters_to_context(codec.get(), parameters);
  codec->thread_count = options.threads;
  codec->pkt_timebase = input->streams[video]->time_base;
  const int opened = avcodec_open2(codec.get(), decoder, nullptr);
  if (opened < 0)
    throw Error(ErrorKind::Unreadable, "Cannot decode the clip", name, detail::avText(opened), "");
}

// One decoded frame, null at the end.
FramePtr ClipReader::State::decodeOne() {
  FramePtr frame = detail::makeAvFrame();
  while (true) {
    const int got = avcodec_receive_frame(codec.get(), frame.get());
    if (got >= 0) {
      if ((frame->flags & AV_FRAME_FLAG_CORRUPT) != 0 || frame->decode_error_flags != 0) ++damaged;
      return frame;
    }
    if (got == AVERROR_EOF) return nullptr;
    if (draining) {
      ++damaged;
      return nullptr;
    }
    if (got != AVERROR(EAGAIN)) ++damaged;
    const int read = av_read_frame(input.get(), packet.get());
    if (read < 0) {
      if (read != AVERROR_EOF) ++damaged;
      draining = true;
      avcodec_send_packet(codec.get(), nullptr);
      continue;
    }
    // On the way to a frame, pictures that nothing else is built on are not decoded.
    const bool passing =
        skip_before_pts != AV_NOPTS_VALUE && packet->pts != AV_NOPTS_VALUE && packet->pts < skip_before_pts;
    codec->skip_frame = passing && options.fields == Fields::Keep ? AVDISCARD_NONREF : AVDISCARD_DEFAULT;
    if (packet->stream_index == video && avcodec_send_packet(codec.get(), packet.get()) < 0) ++damaged;
    av_packet_unref(packet.get());
  }
}

FramePtr ClipReader::State::filtered() {
  if (options.fields == Fields::Keep) return decodeOne();
  while (true) {
    if (deinterlacer) {
      if (FramePtr done = deinterlacer->pull()) {
        const AVRational from = deinterlacer->timeBase();
        const AVRational to = input->streams[video]->time_base;
        done->pts = av_rescale_q(done->pts, from, to);
        done->best_effort_timestamp = done->pts;
        done->pkt_duration = av_rescale_q(done->pkt_duration, from, to);
        done->interlaced_frame = 0;
        return done;
      }
    }
    if (filter_flushed) return nullptr;
    FramePtr frame = decodeOne();
    if (frame && !deinterlacer)
      deinterlacer = std::make_unique<Deinterlacer>(*frame, input->streams[video]->time_base);
    if (!frame) filter_flushed = true;
    if (frame) frame->pts = frame->best_effort_timestamp;
    if (deinterlacer) deinterlacer->push(frame.get());
    if (!deinterlacer) return nullptr;
  }
}

Frame ClipReader::State::convert(FramePtr frame) {
  const FormatChoice choice = chooseFormat(frame->format);
  const bool full = choice.full_range_by_name;
  const ColourTags tags =
      detail::colourTags(frame->color_primaries, frame->color_trc, frame->colorspace,
                         full ? AVCOL_RANGE_JPEG : frame->color_range, frame->chroma_location, choice.rgb);
  if (choice.exact) return detail::wrapDecoded(std::move(frame), choice.format, tags);
  const int target = avPixelFormat(choice.format, tags);
  scaler.reset(sws_getCachedContext(scaler.release(), frame->width, frame->height,
                                    static_cast<AVPixelFormat>(frame->format), frame->width, frame->height,
                                    static_cast<AVPixelFormat>(target), SWS_BICUBIC | SWS_ACCURATE_RND,
                                    nullptr, nullptr, nullptr));
  if (!scaler)
    throw Error(ErrorKind::Unreadable, "Cannot decode the clip", info.path.string(),
                "its pixel layout is not supported", "");
  Frame out = makeFrame(frame->width, frame->height, choice.format);
  std::array<uint8_t*, 4> planes{};
  std::array<int, 4> strides{};
  for (size_t p = 0; p < static_cast<size_t>(choice.format.numPlanes()); ++p) {
    planes[p] = out.planes[p].row<uint8_t>(0);
    strides[p] = static_cast<int>(out.planes[p].stride);
  }
  sws_scale(scaler.get(), frame->data, frame->linesize, 0, frame->height, planes.data(), strides.data());
  const auto made = out.planes;
  out = detail::wrapDecoded(std::move(frame), choice.format, tags);
  out.planes = made;
  return out;
}

int64_t ClipReader::State::stampOf(int64_t index) {
  if (!info.variable_rate) {
    const double ticks = static_cast<double>(index) / info.fps.value() / info.time_base.value();
    return info.start_pts + static_cast<int64_t>(ticks + 0.5);
  }
  if (stamps.empty()) {
    auto scan = detail::openInput(info.path);
    for (unsigned i = 0; i < scan->nb_streams; ++i)
      if (static_cast<int>(i) != video) scan->streams[i]->discard = AVDISCARD_ALL;
    auto p = detail::makePacket();
    while (av_read_frame(scan.get(), p.get()) >= 0) {
      if (p->stream_index == video && (p->flags & AV_PKT_FLAG_DISCARD) == 0)
        stamps.push_back(p->pts != AV_NOPTS_VALUE ? p->pts : p->dts);
      av_packet_unref(p.get());
    }
    std::sort(stamps.begin(), stamps.end());
    if (stamps.empty()) stamps.push_back(info.start_pts);
  }
  return stamps[static_cast<size_t>(std::clamp<int64_t>(index, 0, static_cast<int64_t>(stamps.size()) - 1))];
}

int64_t ClipReader::State::indexOf(int64_t pts) {
  if (info.variable_rate) return std::lower_bound(stamps.begin(), stamps.end(), pts) - stamps.begin();
  const double seconds = static_cast<double>(pts - info.start_pts) * info.time_base.value();
  return static_cast<int64_t>(seconds * info.fps.value() + 0.5);
}

void ClipReader::State::rewind() {
  avcodec_flush_buffers(codec.get());
  deinterlacer.reset();
  draining = false;
  filter_flushed = false;
}

ClipReader::ClipReader(const ClipInfo& info, const ReadOptions& options)
    : state_(std::make_unique<State>(info, options)) {}
ClipReader::~ClipReader() = default;
ClipReader::ClipReader(ClipReader&&) noexcept = default;
ClipReader& ClipReader::operator=(ClipReader&&) noexcept = default;

std::optional<Frame> ClipReader::next() {
  State& s = *state_;
  while (true) {
    FramePtr frame = s.filtered();
    if (!frame) return std::nullopt;
    const int64_t pts = frame->best_effort_timestamp;
    if (s.skip_before_pts != AV_NOPTS_VALUE && pts != AV_NOPTS_VALUE && pts < s.skip_before_pts) continue;
    if (s.skip_before_pts != AV_NOPTS_VALUE && pts != AV_NOPTS_VALUE) s.next_index = s.indexOf(pts);
    s.skip_before_pts = AV_NOPTS_VALUE;
    s.started = true;
    Frame out = s.convert(std::move(frame));
    out.index = s.next_index++;
    return out;
  }
}

void ClipReader::seek(int64_t index) {
  State& s = *state_;
  const int64_t last = std::max<int64_t>(0, s.info.frames - 1);
  const int64_t target = std::clamp<int64_t>(index, 0, last);
  const int64_t stamp = s.stampOf(target);
  // Half a frame of slack, so that rounded time stamps still count as the frame that is meant.
  const double half = 0.5 / s.info.fps.value() / s.info.time_base.value();
  const int64_t slack = s.info.variable_rate ? 0 : static_cast<int64_t>(half);
  constexpr int64_t kNear = 8;  // frames: closer than key frames usually are
  if (target >= s.next_index && target <= s.next_index + kNear && s.started && !s.draining) {
    if (target > s.next_index) s.skip_before_pts = stamp - slack;
    return;
  }
  const int code = av_seek_frame(s.input.get(), s.video, stamp, AVSEEK_FLAG_BACKWARD);
  if (code < 0) {
    // Some containers cannot seek; start again from the top.
    s.codec.reset();
    s.input.reset();
    s.open();
  }
  s.rewind();
  s.skip_before_pts = stamp - slack;
  s.next_index = target;
}

std::optional<Frame> ClipReader::landing() {
  State& s = *state_;
  if (s.skip_before_pts == AV_NOPTS_VALUE || s.options.fields != Fields::Keep) return std::nullopt;
  FramePtr frame = s.filtered();
  if (!frame || frame->best_effort_timestamp == AV_NOPTS_VALUE) return std::nullopt;
  const int64_t index = s.indexOf(frame->best_effort_timestamp);
  const bool arrived = frame->best_effort_timestamp >= s.skip_before_pts;
  s.started = true;
  Frame out = s.convert(std::move(frame));
  out.index = index;
  if (arrived) {
    s.skip_before_pts = AV_NOPTS_VALUE;
    s.next_index = index + 1;
  }
  return out;
}

int64_t ClipReader::damaged() const { return state_->damaged; }
const ClipInfo& ClipReader::info() const { return state_->info; }

Frame readFrame(const ClipInfo& info, int64_t index, const ReadOptions& options) {
  ClipReader reader(info, options);
  if (index > 0) reader.seek(index);
  std::optional<Frame> frame = reader.next();
  if (!frame)
    throw Error(ErrorKind::Unreadable, "Cannot read the frame", info.path.string(),
                "frame " + std::to_string(index) + " is not in the file", "");
  return std::move(*frame);
}

FramesAround framesAround(const ClipInfo& info, int64_t index, int side, const ReadOptions& options,
                          const Progress& progress) {
  ClipReader reader(info, options);
  const int64_t first = std::max<int64_t>(0, index - side);
  reader.seek(first);
  FramesAround around;
  for (int64_t i = first; i <= index + side; ++i) {
    progress.check();
    auto frame = reader.next();
    if (!frame) break;
    around.frames.push_back(std::move(*frame));
  }
  around.middle = static_cast<size_t>(index - first);
  // A seek beyond the end goes to the last frame there is.
  if (around.middle >= around.frames.size() || around.frames[around.middle].index != index)
    throw Error(ErrorKind::Unreadable, "This frame cannot be read", info.path.string(),
                "frame " + std::to_string(index), "");
  return around;
}

}  // namespace glenhaze
