#include "core/media/detail/companion.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <utility>

#include "core/base/utf8.h"
#include "core/media/timecode.h"

namespace glenhaze::detail {

namespace {

void require(int code, const char* what) {
  if (code >= 0) return;
  throw Error(ErrorKind::Unwritable, std::string("Cannot write the ") + what, "", avText(code),
              code == AVERROR(ENOSPC) ? "The disk is full: free some space or choose another folder, then "
                                        "render again"
                                      : "");
}

// Tags that describe the old file's container and would be wrong on the new one.
bool belongsToContainer(const std::string& key) {
  static constexpr std::array<const char*, 6> kOld = {"major_brand", "minor_version", "compatible_brands",
                                                      "encoder",     "duration",      "timecode"};
  return std::any_of(kOld.begin(), kOld.end(), [&](const char* k) { return key == k; });
}

void copyTags(const AVDictionary* from, AVDictionary** to) {
  const AVDictionaryEntry* entry = nullptr;
  while ((entry = av_dict_get(from, "", entry, AV_DICT_IGNORE_SUFFIX)) != nullptr)
    if (!belongsToContainer(entry->key)) av_dict_set(to, entry->key, entry->value, 0);
}

void copyOrientation(const AVStream& from, AVStream& to) {
  size_t size = 0;
  const uint8_t* data = av_stream_get_side_data(&from, AV_PKT_DATA_DISPLAYMATRIX, &size);
  if (data == nullptr || size == 0) return;
  if (uint8_t* copy = av_stream_new_side_data(&to, AV_PKT_DATA_DISPLAYMATRIX, size))
    std::memcpy(copy, data, size);
}

// QuickTime's own list is wider than what its muxer takes (libavformat 59, movenc.c: "only supported in
// MP4").
bool fits(const AVFormatContext& output, AVCodecID codec) {
  const bool mov = std::strcmp(output.oformat->name, "mov") == 0;
  if (mov && (codec == AV_CODEC_ID_OPUS || codec == AV_CODEC_ID_FLAC || codec == AV_CODEC_ID_TRUEHD))
    return false;
  return avformat_query_codec(output.oformat, codec, FF_COMPLIANCE_NORMAL) == 1;
}

// Chapters of [start_s, end_s), moved to where that begins.
void copyChapters(const AVFormatContext& from, AVFormatContext& to, double start_s, double end_s) {
  std::vector<AVChapter*> kept;
  for (unsigned i = 0; i < from.nb_chapters; ++i) {
    const AVChapter& chapter = *from.chapters[i];
    const double tick = av_q2d(chapter.time_base);
    const double begins = std::max(start_s, static_cast<double>(chapter.start) * tick);
    const double ends = std::min(end_s, static_cast<double>(chapter.end) * tick);
    if (ends <= begins) continue;
    auto* copy = static_cast<AVChapter*>(av_mallocz(sizeof(AVChapter)));
    if (copy == nullptr) throw std::bad_alloc();
    copy->id = chapter.id;
    copy->time_base = {1, 1'000'000};
    copy->start = std::llround((begins - start_s) * 1e6);
    copy->end = std::llround((ends - start_s) * 1e6);
    av_dict_copy(&copy->metadata, chapter.metadata, 0);
    kept.push_back(copy);
  }
  if (kept.empty()) return;
  // The output frees these together with itself.
  to.chapters = static_cast<AVChapter**>(av_malloc_array(kept.size(), sizeof(AVChapter*)));
  if (to.chapters == nullptr) throw std::bad_alloc();
  std::copy(kept.begin(), kept.end(), to.chapters);
  to.nb_chapters = static_cast<unsigned>(kept.size());
}

const char* kindOf(AVMediaType type) {
  return type == AVMEDIA_TYPE_AUDIO      ? " sound"
         : type == AVMEDIA_TYPE_SUBTITLE ? " text"
         : type == AVMEDIA_TYPE_VIDEO    ? " pictures"
                                         : " data";
}

std::string streamName(const AVStream& stream) {
  const std::string handler = tag(stream.metadata, "handler_name");
  return stream.codecpar->codec_id != AV_CODEC_ID_NONE ? avcodec_get_name(stream.codecpar->codec_id)
         : !handler.empty()                            ? asUtf8(handler)
                                                       : "a stream of";
}

}  // namespace

// Decodes to signed 16 or 24 bit PCM where sound is not copied as it is.
class PcmConverter {
 public:
  PcmConverter(const AVStream& source, AVStream& target) : target_(target) {
    const AVCodecParameters* from = source.codecpar;
    const AVCodec* decoder = avcodec_find_decoder(from->codec_id);
    if (decoder == nullptr)
      throw Error(ErrorKind::Unreadable, "Cannot decode the sound", avcodec_get_name(from->codec_id), "",
                  "Keep the sound as it is, or leave it out");
    decoder_.reset(avcodec_alloc_context3(decoder));
    avcodec_parameters_to_context(decoder_.get(), from);
    decoder_->pkt_timebase = source.time_base;
    require(avcodec_open2(decoder_.get(), decoder, nullptr), "sound");
    const AVCodec* encoder = avcodec_find_encoder(AV_CODEC_ID_PCM_S24LE);
    encoder_.reset(avcodec_alloc_context3(encoder));
    encoder_->sample_rate = from->sample_rate;
    encoder_->sample_fmt = AV_SAMPLE_FMT_S32;
    encoder_->time_base = {1, from->sample_rate};
    av_channel_layout_copy(&encoder_->ch_layout, &from->ch_layout);
    if (encoder_->ch_layout.order == AV_CHANNEL_ORDER_UNSPEC)
      av_channel_layout_default(&encoder_->ch_layout, from->ch_layout.nb_channels);
    require(avcodec_open2(encoder_.get(), encoder, nullptr), "sound");
    require(avcodec_parameters_from_context(target.codecpar, encoder_.get()), "sound");
    target.time_base = encoder_->time_base;
    source_base_ = source.time_base;
  }

  /// `packet` null: flush.
  void push(AVFormatContext& output, const AVPacket* packet, int64_t shift_samples, int stream) {
    avcodec_send_packet(decoder_.get(), packet);
    FramePtr frame = makeAvFrame();
    while (avcodec_receive_frame(decoder_.get(), frame.get()) >= 0) {
      encode(output, *frame, shift_samples, stream);
      av_frame_unref(frame.get());
    }
  }

 private:
  void encode(AVFormatContext& output, const AVFrame& decoded, int64_t shift_samples, int stream) {
    FramePtr out = makeAvFrame();
    out->format = encoder_->sample_fmt;
    out->sample_rate = encoder_->sample_rate;
    out->nb_samples = decoded.nb_samples;
    av_channel_layout_copy(&out->ch_layout, &encoder_->ch_layout);
    require(av_frame_get_buffer(out.get(), 0), "sound");
    if (!resampler_) {
      SwrContext* raw = nullptr;
      require(swr_alloc_set_opts2(&raw, &encoder_->ch_layout, encoder_->sample_fmt, encoder_->sample_rate,
                                  &decoder_->ch_layout, static_cast<AVSampleFormat>(decoded.format),
                                  decoded.sample_rate, 0, nullptr),
              "sound");
      resampler_.reset(raw);
      require(swr_init(raw), "sound");
    }
    require(swr_convert(resampler_.get(), out->data, out->nb_samples,
                        const_cast<const uint8_t**>(decoded.extended_data), decoded.nb_samples),
            "sound");
    out->pts = av_rescale_q(decoded.best_effort_timestamp, source_base_, encoder_->time_base) - shift_samples;
    require(avcodec_send_frame(encoder_.get(), out.get()), "sound");
    PacketPtr packet = makePacket();
    while (avcodec_receive_packet(encoder_.get(), packet.get()) >= 0) {
      packet->stream_index = stream;
      av_packet_rescale_ts(packet.get(), encoder_->time_base, target_.time_base);
      require(av_interleaved_write_frame(&output, packet.get()), "sound");
    }
  }

  AVStream& target_;
  CodecPtr decoder_, encoder_;
  ResamplerPtr resampler_;
  AVRational source_base_{1, 1};
};

struct Companion::Track {
  int output_stream = -1;
  int64_t last_dts = INT64_MIN;       ///< written, in the source's time base
  std::unique_ptr<PcmConverter> pcm;  ///< null: packets are copied
};

Companion::~Companion() = default;

Companion::Companion(const ClipInfo& source, const FrameRange& range, const EncodeSettings& settings,
                     AVFormatContext& output, AVStream& picture, double start_s, double end_s,
                     std::string& note)
    : input_(openInput(source.path)), packet_(makePacket()), start_s_(start_s), end_s_(end_s) {
  copyTags(input_->metadata, &output.metadata);
  const int video = findVideo(*input_);
  const bool turned = settings.codec == Codec::Ffv1;  // see ClipWriter: its pixels are upright
  if (!turned) copyOrientation(*input_->streams[video], picture);
  copyTags(input_->streams[video]->metadata, &picture.metadata);
  copyChapters(*input_, output, start_s, end_s);
  const auto say = [&](const std::string& text) { note += (note.empty() ? "" : "; ") + text; };
  if (!source.timecode.empty())
    av_dict_set(&picture.metadata, "timecode",
                timecodeAfter(source.timecode, source.nominal_fps, range.first).c_str(), 0);
  tracks_.resize(input_->nb_streams);
  for (unsigned i = 0; i < input_->nb_streams; ++i) {
    AVStream* from = input_->streams[i];
    from->discard = AVDISCARD_ALL;
    if (static_cast<int>(i) == video) continue;
    const auto type = from->codecpar->codec_type;
    const bool sound = type == AVMEDIA_TYPE_AUDIO, text = type == AVMEDIA_TYPE_SUBTITLE;
    if (sound && (settings.sound == Sound::None || settings.sound == Sound::Silent)) continue;
    // The timecode travels as a tag, and the muxer makes a track of it again.
    if (from->codecpar->codec_tag == MKTAG('t', 'm', 'c', 'd')) continue;
    const bool as_it_is = fits(output, from->codecpar->codec_id);
    if ((from->disposition & AV_DISPOSITION_ATTACHED_PIC) != 0) {
      // libavformat 59 writes into MP4 either a cover picture or all of the camera's tags.
      say("the cover picture is left out");
      continue;
    }
    const bool to_pcm =
        sound && (settings.sound == Sound::Pcm || (!as_it_is && fits(output, AV_CODEC_ID_PCM_S24LE)));
    if (!(to_pcm || ((sound || text) && as_it_is))) {
      say(streamName(*from) + kindOf(type) + " does not fit into this container and is left out");
      continue;
    }
    if (to_pcm && settings.sound != Sound::Pcm)
      say(streamName(*from) + " sound does not fit into this container and was unpacked to PCM");
    from->discard = AVDISCARD_DEFAULT;
    AVStream* to = avformat_new_stream(&output, nullptr);
    if (to == nullptr) throw std::bad_alloc();
    auto track = std::make_unique<Track>();
    track->output_stream = to->index;
    if (to_pcm) {
      track->pcm = std::make_unique<PcmConverter>(*from, *to);
    } else {
      require(avcodec_parameters_copy(to->codecpar, from->codecpar), "sound");
      to->codecpar->codec_tag = 0;
      to->time_base = from->time_base;
    }
    to->disposition = from->disposition;
    copyTags(from->metadata, &to->metadata);
    tracks_[i] = std::move(track);
  }
}

void Companion::handle(AVFormatContext& output, AVPacket& packet) {
  Track* track = tracks_[static_cast<size_t>(packet.stream_index)].get();
  const AVRational base = input_->streams[packet.stream_index]->time_base;
  const int64_t stamp = packet.dts != AV_NOPTS_VALUE ? packet.dts : packet.pts;
  if (stamp != AV_NOPTS_VALUE) reached_s_ = static_cast<double>(stamp) * av_q2d(base) - start_s_;
  if (track == nullptr || stamp == AV_NOPTS_VALUE) return;
  const double begins = static_cast<double>(stamp) * av_q2d(base);
  const double ends = begins + static_cast<double>(packet.duration) * av_q2d(base);
  if (ends <= start_s_ - 1e-9 && start_s_ > 1e-9) return;
  if (begins >= end_s_) return;
  if (track->pcm) {
    const int rate = output.streams[track->output_stream]->codecpar->sample_rate;
    track->pcm->push(output, &packet, llround(start_s_ * rate), track->output_stream);
    return;
  }
  // Where streams were joined, the second one's sound may begin before the first one's has ended.
  if (stamp <= track->last_dts) return;
  track->last_dts = stamp;
  const auto shift = static_cast<int64_t>(llround(start_s_ / av_q2d(base)));
  if (packet.pts != AV_NOPTS_VALUE) packet.pts -= shift;
  if (packet.dts != AV_NOPTS_VALUE) packet.dts -= shift;
  packet.pos = -1;
  av_packet_rescale_ts(&packet, base, output.streams[track->output_stream]->time_base);
  packet.stream_index = track->output_stream;
  require(av_interleaved_write_frame(&output, &packet), "sound");
}

void Companion::writeUntil(AVFormatContext& output, double until_s) {
  while (!at_end_ && reached_s_ < until_s) {
    if (av_read_frame(input_.get(), packet_.get()) < 0) {
      at_end_ = true;
      break;
    }
    handle(output, *packet_);
    av_packet_unref(packet_.get());
  }
}

void Companion::finish(AVFormatContext& output) {
  writeUntil(output, 1e18);
  for (const auto& track : tracks_)
    if (track && track->pcm) {
      const int rate = output.streams[track->output_stream]->codecpar->sample_rate;
      track->pcm->push(output, nullptr, llround(start_s_ * rate), track->output_stream);
    }
}

}  // namespace glenhaze::detail
