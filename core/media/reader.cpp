#include "core/media/reader.h"

extern "C" {
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
}

#include <algorithm>
#include <array>
#include <cmath>
#include <string_view>
#include <utility>
#include <vector>

#include "core/frame/av_format.h"
#include "core/media/detail/ffmpeg.h"
#include "core/media/detail/graphics_decoding.h"

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

[[noreturn]] void throwCardFailed(int code) {
  throw GraphicsFailure(ErrorKind::Unreadable, "The graphics card does not decode", "", detail::avText(code),
                        "");
}

constexpr int kMostDrainErrors = 64;  // more pictures than any decoder holds back

}  // namespace

struct ClipReader::State {
  ClipInfo info;
  ReadOptions options;
  detail::InputPtr input;
  detail::CodecPtr codec;
  detail::PacketPtr packet = detail::makePacket();
  detail::PacketPtr passed_key = detail::makePacket();  ///< on the way to a frame, the last key picture
  detail::ScalerPtr scaler;
  std::unique_ptr<Deinterlacer> deinterlacer;
  int video = -1;
  bool started = false;  ///< frames have come since the file was opened
  bool draining = false;
  int drain_errors = 0;
  bool filter_flushed = false;
  int64_t next_index = 0;
  int64_t damaged = 0;
  int64_t damaged_before = 0;  ///< when the last jump began: what fails on the way is nobody's loss
  int64_t skip_before = 0;     ///< frames before this one are passed over
  double back_s = 0;           ///< how far before the wanted frame the last jump aimed
  bool just_jumped = false;    ///< nothing has been decoded since
  bool from_start = true;      ///< everything since the first frame has been decoded
  bool wait_for_key = false;   ///< pictures before the first key one cannot be built
  PictureSize size;            ///< of the first frame
  std::optional<SizeChange> change;
  // While a graphics card decodes.
  std::optional<GraphicsDecoder> card = decodingCard();
  int64_t by_card = 0;  ///< frames so far
  std::string card_trouble;
  bool bad = false;  ///< the frame that advance() gave last was built with faults
  // Under Damage::Hold.
  std::optional<Frame> good, ahead;
  int64_t wanted = 0;
  HeldFrames held;

  State(const ClipInfo& clip, const ReadOptions& read_options)
      : info(clip), options(read_options), size{clip.width, clip.height} {
    open();
  }

  void open();
  FramePtr decodeOne();
  void feedDecoder();
  FramePtr decodeSameSize();
  FramePtr filtered();
  Frame convert(FramePtr frame);
  // The frame that a jump must not land behind. Deinterlacing looks at the one before. And never so near the
  // end that all that follows is still inside the decoder when the file ends: libavcodec 59 drops what
  // follows a recovery point that it has not given out yet; no codec holds more frames back.
  int64_t aim() const {
    constexpr int64_t kHeldBack = 17;
    const int64_t needed = options.fields == Fields::Keep ? skip_before : skip_before - 1;
    const int64_t inside = holdsNoneBack() ? 0 : kHeldBack;
    return std::max<int64_t>(0, std::min(needed, info.frames - inside));
  }
  // Whether the decoder gives out every picture at once: all that know no pictures between others, and FFV1,
  // whose pictures go on with the statistics of the one before, but in order.
  bool holdsNoneBack() const {
    const AVCodecDescriptor* about = avcodec_descriptor_get(codec->codec_id);
    return codec->codec_id == AV_CODEC_ID_FFV1 ||
           (about != nullptr && (about->props & AV_CODEC_PROP_INTRA_ONLY) != 0);
  }
  // What the container's index knows a frame by. MP4's holds decoding times: its key pictures stand there
  // earlier than they are shown, by as much as pictures are held back. Seeking takes that into account.
  int64_t indexedAt(int64_t index) const {
    const AVStream& stream = *input->streams[video];
    const bool by_decoding = std::string_view(input->iformat->name).find("mp4") != std::string_view::npos;
    const int64_t stamp = info.stampAt(index);
    if (!by_decoding || !info.times || index >= info.frames) return stamp;
    const int64_t held_back = std::max(0, stream.codecpar->video_delay);
    return stamp - held_back * (info.stampAt(index + 1) - stamp);
  }
  std::optional<int64_t> groupOf(int64_t index) const {
    if (counts()) return std::nullopt;
    AVStream* stream = input->streams[video];
    const int at = av_index_search_timestamp(stream, indexedAt(index), AVSEEK_FLAG_BACKWARD);
    const AVIndexEntry* entry = avformat_index_get_entry(stream, at);
    return entry != nullptr ? std::optional(entry->timestamp) : std::nullopt;
  }
  // Whether a jump would land no further on than the reader is.
  bool isOnTheWay() const {
    if (!started || draining) return false;
    const std::optional<int64_t> group = groupOf(aim());
    return group && *group <= info.stampAt(next_index);
  }
  bool counts() const { return info.times && !info.times->ordered(); }
  void jump();
  void startAgain();
  void goOnWithoutCard(const std::string& why);
  FramePtr fromCard(FramePtr frame);
  FramePtr arrive();
  std::optional<Frame> advance(const Progress& progress);
  std::optional<Frame> advanceOnce(const Progress& progress);
  FramePtr land();
  FramePtr decodeKey(int64_t stamp);
  std::optional<Frame> heldOrNext(const Progress& progress);
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
  codec->thread_count = options.threads > 0 ? options.threads : detail::codecThreads();
  if (options.by_parts) codec->thread_type = FF_THREAD_SLICE;
  codec->pkt_timebase = input->streams[video]->time_base;
  if (card && !detail::prepareDecoding(*codec, *decoder, *card)) card.reset();
  const int opened = avcodec_open2(codec.get(), decoder, nullptr);
  if (opened < 0)
    throw Error(ErrorKind::Unreadable, "Cannot decode the clip", name, detail::avText(opened), "");
}

// A card that meets damage leaves it to the processor as well, which tells what of it can be read.
FramePtr ClipReader::State::fromCard(FramePtr frame) {
  if ((frame->flags & AV_FRAME_FLAG_CORRUPT) != 0 || frame->decode_error_flags != 0)
    throwCardFailed(AVERROR_INVALIDDATA);
  if (card->fails_after >= 0 && by_card >= card->fails_after) throwCardFailed(AVERROR_EXTERNAL);
  ++by_card;
  return detail::fetched(std::move(frame), *card);
}

// From the frame that is due, which no one has got yet.
void ClipReader::State::goOnWithoutCard(const std::string& why) {
  card.reset();
  card_trouble = why;
  skip_before = std::max(skip_before, next_index);
  damaged_before = damaged;
  startAgain();
  if (skip_before == 0 || counts()) return;
  back_s = 0;
  jump();
}

// One decoded frame, null at the end.
FramePtr ClipReader::State::decodeOne() {
  FramePtr frame = detail::makeAvFrame();
  while (true) {
    const int got = avcodec_receive_frame(codec.get(), frame.get());
    if (card && got != AVERROR(EAGAIN) && got != AVERROR_EOF) {
      if (got < 0) throwCardFailed(got);
      return fromCard(std::move(frame));
    }
    if (got >= 0) {
      if ((frame->flags & AV_FRAME_FLAG_CORRUPT) != 0 || frame->decode_error_flags != 0) ++damaged;
      return frame;
    }
    if (got == AVERROR_EOF) return nullptr;
    if (got != AVERROR(EAGAIN)) ++damaged;
    // A picture that cannot be built is told of here; the others behind it still come.
    if (draining && (got == AVERROR(EAGAIN) || ++drain_errors > kMostDrainErrors)) return nullptr;
    if (draining) continue;
    feedDecoder();
  }
}

// Hands the decoder the next packet, or the word that there are no more.
void ClipReader::State::feedDecoder() {
  const auto send = [this](AVPacket* one) {
    const int sent = avcodec_send_packet(codec.get(), one);
    av_packet_unref(one);
    if (sent < 0 && card) throwCardFailed(sent);
    if (sent < 0) ++damaged;
  };
  if (packet->buf == nullptr) {
    const int read = av_read_frame(input.get(), packet.get());
    if (read < 0) {
      if (passed_key->buf != nullptr) return send(passed_key.get());
      if (read != AVERROR_EOF) ++damaged;
      draining = true;
      avcodec_send_packet(codec.get(), nullptr);
      return;
    }
  }
  const bool key = (packet->flags & AV_PKT_FLAG_KEY) != 0;
  if (packet->stream_index == video && key) wait_for_key = false;
  if (packet->stream_index != video || wait_for_key) return av_packet_unref(packet.get());
  // On the way to a frame, pictures that nothing else is built on are not decoded; but the first one tells
  // whether the jump went far enough back.
  const bool passing = !just_jumped && !counts() && packet->pts != AV_NOPTS_VALUE && skip_before > 0 &&
                       info.indexAt(packet->pts) < skip_before && options.fields == Fields::Keep;
  if (passing && key && info.indexAt(packet->pts) <= aim()) {
    // Of key pictures in a row only the last one is built on.
    av_packet_unref(passed_key.get());
    av_packet_move_ref(passed_key.get(), packet.get());
    return;
  }
  codec->skip_frame = passing ? AVDISCARD_NONREF : AVDISCARD_DEFAULT;
  if (passed_key->buf != nullptr) return send(passed_key.get());  // the packet's turn is next
  send(packet.get());
}

// The same, but that a picture of another size is the end.
FramePtr ClipReader::State::decodeSameSize() {
  if (change) return nullptr;
  FramePtr frame = decodeOne();
  if (!frame) return nullptr;
  const PictureSize now{frame->width, frame->height};
  if (!started && from_start) size = now;
  if (now == size) return frame;
  change = SizeChange{-1, now};
  return nullptr;
}

FramePtr ClipReader::State::filtered() {
  if (options.fields == Fields::Keep) return decodeSameSize();
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
    FramePtr frame = decodeSameSize();
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
  const ColourTags tags = detail::colourTags(
      detail::numberIn(frame->color_primaries), detail::numberIn(frame->color_trc),
      detail::numberIn(frame->colorspace), full ? AVCOL_RANGE_JPEG : detail::numberIn(frame->color_range),
      detail::numberIn(frame->chroma_location), choice.rgb);
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

// Jumps to a place before skip_before; how far before is decided by back_s.
void ClipReader::State::jump() {
  const int64_t back = std::llround(back_s / info.time_base.value());
  const int64_t target = info.stampAt(aim()) - back;
  const bool before_start = back_s > 0 && target < info.stampAt(0);
  if (before_start || av_seek_frame(input.get(), video, target, AVSEEK_FLAG_BACKWARD) < 0)
    return startAgain();
  rewind();
  just_jumped = wait_for_key = true;
  from_start = false;
}

void ClipReader::State::startAgain() {
  just_jumped = wait_for_key = false;
  from_start = true;
  codec.reset();
  input.reset();
  open();
  rewind();
  next_index = 0;
}

// The next frame; behind a jump the first one that is not behind the frame that was asked for. Streams
// without an index, and those whose key pictures do not stand alone (open groups), land late: then further
// back, and in the end from the start.
FramePtr ClipReader::State::arrive() {
  while (true) {
    FramePtr frame = filtered();
    if (!just_jumped) return frame;
    just_jumped = wait_for_key = false;
    const int64_t pts = frame ? frame->best_effort_timestamp : AV_NOPTS_VALUE;
    if (pts != AV_NOPTS_VALUE && info.indexAt(pts) <= aim()) return frame;
    constexpr double kFirstStep_s = 0.5;  // about one group of pictures
    back_s = back_s > 0 ? 2 * back_s : kFirstStep_s;
    jump();
  }
}

void ClipReader::State::rewind() {
  av_packet_unref(packet.get());
  av_packet_unref(passed_key.get());
  avcodec_flush_buffers(codec.get());
  deinterlacer.reset();
  draining = false;
  drain_errors = 0;
  filter_flushed = false;
  change.reset();
}

ClipReader::ClipReader(const ClipInfo& info, const ReadOptions& options)
    : state_(std::make_unique<State>(info, options)) {}
ClipReader::~ClipReader() = default;
ClipReader::ClipReader(ClipReader&&) noexcept = default;
ClipReader& ClipReader::operator=(ClipReader&&) noexcept = default;

// The next frame that the decoder gives.
std::optional<Frame> ClipReader::State::advance(const Progress& progress) {
  try {
    return advanceOnce(progress);
  } catch (const GraphicsFailure& failure) {
    goOnWithoutCard(failure.why());
    return advanceOnce(progress);
  }
}

std::optional<Frame> ClipReader::State::advanceOnce(const Progress& progress) {
  while (true) {
    FramePtr frame = arrive();
    if (!frame && skip_before > 0 && !counts() && !from_start) {
      // The way there ended before it was reached: all of it from the start.
      startAgain();
      continue;
    }
    if (!frame && change && change->index < 0) change->index = next_index;
    if (!frame) return std::nullopt;
    started = true;
    const int64_t pts = frame->best_effort_timestamp;
    const bool counted = counts() || pts == AV_NOPTS_VALUE;
    const int64_t index = counted ? next_index : std::max(next_index, info.indexAt(pts));
    next_index = index + 1;
    if (index < skip_before) {
      progress.check();
      continue;
    }
    if (skip_before > 0) damaged = damaged_before;
    skip_before = 0;
    bad = (frame->flags & AV_FRAME_FLAG_CORRUPT) != 0 || frame->decode_error_flags != 0;
    Frame out = convert(std::move(frame));
    out.index = index;
    if (counted) {
      out.pts = info.stampAt(index);
      out.duration = info.stampAt(index + 1) - out.pts;
    }
    return out;
  }
}

// Every frame of the clip in turn: where one is missing, the last good one in its place.
std::optional<Frame> ClipReader::State::heldOrNext(const Progress& progress) {
  while (!ahead || ahead->index < wanted) {
    ahead = advance(progress);
    if (!ahead) break;
    if (bad && ahead->index < info.frames) ahead->index = -1;
  }
  if (change && wanted >= change->index) return std::nullopt;
  if (wanted >= info.frames && !ahead) return std::nullopt;
  if (ahead && ahead->index == wanted) {
    good = std::exchange(ahead, std::nullopt);
    ++wanted;
    return good;
  }
  if (!good && !ahead) return std::nullopt;
  Frame stand_in = good ? *good : *ahead;  // shares its samples, which nobody changes
  stand_in.index = wanted;
  stand_in.pts = info.stampAt(wanted);
  stand_in.duration = info.stampAt(wanted + 1) - stand_in.pts;
  if (held.count++ == 0) held.first = wanted;
  ++wanted;
  return stand_in;
}

std::optional<Frame> ClipReader::next(const Progress& progress) {
  return state_->options.damage == Damage::Hold ? state_->heldOrNext(progress) : state_->advance(progress);
}

void ClipReader::seek(int64_t index) {
  State& s = *state_;
  const int64_t last = std::max<int64_t>(0, s.info.frames - 1);
  const int64_t target = std::clamp<int64_t>(index, 0, last);
  constexpr int64_t kNear = 8;  // frames: closer than key frames usually are
  const bool onward = target >= s.next_index && !s.draining;
  s.skip_before = s.wanted = target;
  s.good.reset();
  s.ahead.reset();
  s.damaged_before = s.damaged;
  if (onward && (s.counts() || (target <= s.next_index + kNear && s.started) || s.isOnTheWay())) return;
  if (s.counts()) return s.startAgain();
  s.back_s = 0;
  s.jump();
  if (s.just_jumped) s.next_index = 0;  // the first frame says which one it is
}

FramePtr ClipReader::State::land() {
  try {
    return arrive();
  } catch (const GraphicsFailure& failure) {
    goOnWithoutCard(failure.why());
    return arrive();
  }
}

std::optional<Frame> ClipReader::landing() {
  State& s = *state_;
  if (s.skip_before == 0 || s.options.fields != Fields::Keep || s.counts()) return std::nullopt;
  FramePtr frame = s.land();
  if (!frame || frame->best_effort_timestamp == AV_NOPTS_VALUE) return std::nullopt;
  s.started = true;
  const int64_t index = std::max(s.next_index, s.info.indexAt(frame->best_effort_timestamp));
  s.next_index = index + 1;
  if (index >= s.skip_before) s.skip_before = 0;
  Frame out = s.convert(std::move(frame));
  out.index = index;
  return out;
}

// The last key picture at or before a place, by itself; null where there is none to be had.
FramePtr ClipReader::State::decodeKey(int64_t stamp) {
  if (av_seek_frame(input.get(), video, stamp, AVSEEK_FLAG_BACKWARD) < 0) return nullptr;
  rewind();
  do {
    av_packet_unref(packet.get());
    if (av_read_frame(input.get(), packet.get()) < 0) return nullptr;
  } while (packet->stream_index != video || (packet->flags & AV_PKT_FLAG_KEY) == 0);
  codec->skip_frame = AVDISCARD_DEFAULT;
  const int sent = avcodec_send_packet(codec.get(), packet.get());
  av_packet_unref(packet.get());
  // Told that nothing follows, it gives out what it has.
  avcodec_send_packet(codec.get(), nullptr);
  FramePtr frame = detail::makeAvFrame();
  const int got = avcodec_receive_frame(codec.get(), frame.get());
  if (card && (sent < 0 || got < 0)) throwCardFailed(sent < 0 ? sent : got);
  const bool whole = sent >= 0 && got >= 0 && (frame->flags & AV_FRAME_FLAG_CORRUPT) == 0 &&
                     frame->decode_error_flags == 0 && PictureSize{frame->width, frame->height} == size;
  if (!whole) return nullptr;
  return card ? fromCard(std::move(frame)) : std::move(frame);
}

std::optional<Frame> ClipReader::keyFrame(int64_t index) {
  State& s = *state_;
  if (s.options.fields != Fields::Keep || s.counts()) return std::nullopt;
  const int64_t wanted = std::clamp<int64_t>(index, 0, std::max<int64_t>(0, s.info.frames - 1));
  FramePtr frame;
  try {
    frame = s.decodeKey(s.info.stampAt(wanted));
  } catch (const GraphicsFailure& failure) {
    s.goOnWithoutCard(failure.why());
    frame = s.decodeKey(s.info.stampAt(wanted));
  }
  // No frame follows from here.
  s.skip_before = s.wanted = wanted;
  s.next_index = 0;
  s.draining = true;
  s.from_start = false;
  s.good.reset();
  s.ahead.reset();
  const int64_t pts = frame ? frame->best_effort_timestamp : AV_NOPTS_VALUE;
  if (pts == AV_NOPTS_VALUE || s.info.indexAt(pts) > wanted) return std::nullopt;
  Frame out = s.convert(std::move(frame));
  out.index = s.info.indexAt(pts);
  return out;
}

std::optional<int64_t> ClipReader::groupOf(int64_t index) const { return state_->groupOf(index); }

int64_t ClipReader::damaged() const { return state_->damaged; }
HeldFrames ClipReader::held() const { return state_->held; }
std::optional<ClipReader::SizeChange> ClipReader::sizeChange() const { return state_->change; }
const std::string& ClipReader::cardTrouble() const { return state_->card_trouble; }
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

FramesAround framesAround(const ClipInfo& info, int64_t index, int before, int after,
                          const ReadOptions& options, const Progress& progress) {
  ClipReader reader(info, options);
  const int64_t first = std::max<int64_t>(0, index - before);
  reader.seek(first);
  FramesAround around;
  for (int64_t i = first; i <= index + after; ++i) {
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
