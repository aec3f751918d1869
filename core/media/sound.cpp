#include "core/media/sound.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <vector>

#include "core/media/detail/ffmpeg.h"

namespace glenhaze {

struct SoundReader::State {
  ClipInfo clip;
  int rate = 0, channels = 0;
  detail::InputPtr input;
  detail::CodecPtr decoder;
  detail::ResamplerPtr resampler;
  detail::PacketPtr packet = detail::makePacket();
  detail::FramePtr frame = detail::makeAvFrame();
  int stream = -1;
  std::vector<float> held;  ///< decoded and not read yet, channels side by side
  size_t taken = 0;         ///< samples of `held`, all channels counted, that were read
  int64_t next = 0;         ///< sample that read() goes on with
  int64_t behind = 0;       ///< sample behind the last one decoded
  bool fresh = true;        ///< nothing was decoded since the start or a seek
  bool at_end = false;

  [[noreturn]] void fail(const std::string& why) const {
    throw Error(ErrorKind::Unreadable, "The sound cannot be read", clip.path.string(), why, "");
  }

  void open() {
    input = detail::openInput(clip.path);
    stream = av_find_best_stream(input.get(), AVMEDIA_TYPE_AUDIO, -1, -1, nullptr, 0);
    if (stream < 0) fail("the clip has none");
    for (unsigned i = 0; i < input->nb_streams; ++i)
      input->streams[i]->discard = static_cast<int>(i) == stream ? AVDISCARD_DEFAULT : AVDISCARD_ALL;
    const AVCodecParameters* from = input->streams[stream]->codecpar;
    const AVCodec* codec = avcodec_find_decoder(from->codec_id);
    if (codec == nullptr) fail(std::string("nothing here decodes ") + avcodec_get_name(from->codec_id));
    decoder.reset(avcodec_alloc_context3(codec));
    if (!decoder) throw std::bad_alloc();
    avcodec_parameters_to_context(decoder.get(), from);
    decoder->pkt_timebase = input->streams[stream]->time_base;
    if (const int code = avcodec_open2(decoder.get(), codec, nullptr); code < 0) fail(detail::avText(code));
  }

  double firstFrame_s() const { return static_cast<double>(clip.start_pts) * clip.time_base.value(); }

  void makeResampler() {
    AVChannelLayout wanted{}, from{};
    av_channel_layout_default(&wanted, channels);
    av_channel_layout_copy(&from, &frame->ch_layout);
    if (from.order == AV_CHANNEL_ORDER_UNSPEC) av_channel_layout_default(&from, frame->ch_layout.nb_channels);
    SwrContext* raw = nullptr;
    const int code =
        swr_alloc_set_opts2(&raw, &wanted, AV_SAMPLE_FMT_FLT, rate, &from,
                            static_cast<AVSampleFormat>(frame->format), frame->sample_rate, 0, nullptr);
    resampler.reset(raw);
    if (code < 0 || swr_init(raw) < 0) fail("it cannot be resampled");
  }

  // Where the decoded frame belongs; what is missing before it is silence, what is there twice goes.
  void place() {
    const AVRational base = input->streams[stream]->time_base;
    const int64_t stamp = frame->best_effort_timestamp;
    if (stamp == AV_NOPTS_VALUE) return;
    const double at_s = static_cast<double>(stamp) * av_q2d(base) - firstFrame_s();
    const int64_t at = std::llround(at_s * rate);
    constexpr double kJitter_s = 0.005;  // time stamps are rounded to milliseconds in some containers
    if (fresh) {
      behind = at;
      fresh = false;
    } else if (static_cast<double>(at - behind) > kJitter_s * rate) {
      held.insert(held.end(), static_cast<size_t>((at - behind) * channels), 0.0F);
      behind = at;
    }
  }

  void take() {
    if (!resampler) makeResampler();
    place();
    const int room = swr_get_out_samples(resampler.get(), frame->nb_samples);
    const size_t before = held.size();
    held.resize(before + static_cast<size_t>(std::max(0, room)) * static_cast<size_t>(channels));
    auto* to = reinterpret_cast<uint8_t*>(held.data() + before);
    const int made = swr_convert(resampler.get(), &to, room,
                                 const_cast<const uint8_t**>(frame->extended_data), frame->nb_samples);
    if (made < 0) fail(detail::avText(made));
    held.resize(before + static_cast<size_t>(made) * static_cast<size_t>(channels));
    behind += made;
  }

  // Decodes on; false at the end.
  bool more() {
    while (!at_end) {
      const int code = av_read_frame(input.get(), packet.get());
      at_end = code < 0;
      if (!at_end && packet->stream_index != stream) {
        av_packet_unref(packet.get());
        continue;
      }
      avcodec_send_packet(decoder.get(), at_end ? nullptr : packet.get());
      av_packet_unref(packet.get());
      bool any = false;
      while (avcodec_receive_frame(decoder.get(), frame.get()) >= 0) {
        take();
        any = true;
      }
      if (any) return true;
    }
    return false;
  }

  int64_t heldSamples() const { return static_cast<int64_t>(held.size() - taken) / channels; }
};

SoundReader::SoundReader(const ClipInfo& clip, int sample_rate, int channels)
    : state_(std::make_unique<State>()) {
  state_->clip = clip;
  state_->rate = sample_rate;
  state_->channels = channels;
  state_->open();
}

SoundReader::~SoundReader() = default;
SoundReader::SoundReader(SoundReader&&) noexcept = default;
SoundReader& SoundReader::operator=(SoundReader&&) noexcept = default;

bool SoundReader::read(std::span<float> samples) {
  State& s = *state_;
  std::ranges::fill(samples, 0.0F);
  const auto wanted = static_cast<int64_t>(samples.size()) / s.channels;
  const int64_t end = s.next + wanted;
  bool any = true;
  while (any && (s.fresh || s.behind < end)) any = s.more();
  // The first sample held, and the part of it that was asked for.
  const int64_t first = s.behind - s.heldSamples();
  const int64_t from = std::max(first, s.next), to = std::min(s.behind, end);
  if (!s.fresh && to > from) {
    const size_t skip = s.taken + static_cast<size_t>((from - first) * s.channels);
    std::copy_n(s.held.begin() + static_cast<ptrdiff_t>(skip), (to - from) * s.channels,
                samples.begin() + (from - s.next) * s.channels);
  }
  if (!s.fresh && to > first) s.taken += static_cast<size_t>((to - first) * s.channels);
  if (s.taken > s.held.size() / 2) {
    s.held.erase(s.held.begin(), s.held.begin() + static_cast<ptrdiff_t>(s.taken));
    s.taken = 0;
  }
  s.next = end;
  return !s.at_end || s.behind > end;
}

void SoundReader::seek(int64_t sample) {
  State& s = *state_;
  s.held.clear();
  s.taken = 0;
  s.next = sample;
  s.fresh = true;
  s.at_end = false;
  s.resampler.reset();
  // A little earlier: the first frames behind a seek of AAC and the like are not whole.
  constexpr double kLead_s = 0.25;
  const double at_s = static_cast<double>(sample) / s.rate + s.firstFrame_s() - kLead_s;
  const AVRational base = s.input->streams[s.stream]->time_base;
  const auto stamp = static_cast<int64_t>(std::floor(at_s / av_q2d(base)));
  if (avformat_seek_file(s.input.get(), s.stream, INT64_MIN, stamp, stamp, 0) < 0)
    avformat_seek_file(s.input.get(), s.stream, INT64_MIN, INT64_MIN / 2, INT64_MAX, 0);
  avcodec_flush_buffers(s.decoder.get());
}

}  // namespace glenhaze
