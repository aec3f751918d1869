#include "simulator/film.h"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/media/detail/codecs.h"
#include "core/media/detail/ffmpeg.h"

namespace glenhaze::sim {
namespace fs = std::filesystem;

namespace {

constexpr int kSoundRate = 48000;

void require(int code, const fs::path& path) {
  if (code < 0)
    throw Error(ErrorKind::Unwritable, "Cannot write the simulated clip", path.string(), detail::avText(code),
                "");
}

// Water, a slow engine and a mason's hammer: made up, repeatable.
float soundAt(int64_t sample) {
  const double t = static_cast<double>(sample) / kSoundRate;
  const auto lattice = static_cast<float>(t * 900);
  const float water = 0.10F * noise2(lattice, 0.5F, 3) + 0.06F * noise2(lattice * 7, 1.5F, 4);
  const auto engine = static_cast<float>(0.05 * std::sin(2 * 3.14159265 * 62 * t) *
                                         (1 + 0.3 * std::sin(2 * 3.14159265 * 3.1 * t)));
  const double beat = t - 0.75 * std::floor(t / 0.75);
  const auto hammer =
      static_cast<float>(0.35 * std::exp(-beat * 45) * std::sin(2 * 3.14159265 * 1850 * beat));
  return water + engine + hammer;
}

class FilmWriter {
 public:
  FilmWriter(const fs::path& path, const SimCamera& camera, const FilmSettings& settings)
      : path_(path), camera_(camera), settings_(settings) {
    require(avformat_alloc_output_context2(&output_, nullptr, nullptr, ("file:" + path.string()).c_str()),
            path);
    openPicture();
    if (settings.sound) openSound();
    if (!settings.telemetry.empty()) openTelemetry();
    tagFile();
    AVDictionary* options = nullptr;
    av_dict_set(&options, "movflags", "use_metadata_tags+faststart", 0);
    require(avio_open(&output_->pb, ("file:" + path.string()).c_str(), AVIO_FLAG_WRITE), path);
    const int code = avformat_write_header(output_, &options);
    av_dict_free(&options);
    require(code, path);
  }
  ~FilmWriter() {
    if (output_->pb != nullptr) avio_closep(&output_->pb);
    avformat_free_context(output_);
  }

  void picture(const Frame& frame, int64_t pts) {
    Frame stamped = frame;
    stamped.pts = pts;
    detail::FramePtr av = detail::wrapForEncoder(stamped);
    if (settings_.interlaced) {
      av->interlaced_frame = 1;
      av->top_field_first = 1;
    }
    encode(*picture_codec_, *picture_, av.get());
  }

  void finish(int64_t frames) {
    const double length = static_cast<double>(frames) / settings_.fps.value();
    if (sound_ != nullptr) writeSound(length);
    if (telemetry_ != nullptr) writeTelemetry(length);
    encode(*picture_codec_, *picture_, nullptr);
    require(av_write_trailer(output_), path_);
    require(avio_closep(&output_->pb), path_);
  }

 private:
  void openPicture() {
    const CameraSetup& s = camera_.setup();
    const bool h264 = settings_.codec == FilmCodec::H264;
    const AVCodec* encoder = avcodec_find_encoder_by_name(h264 ? "libx264" : "ffv1");
    picture_codec_.reset(avcodec_alloc_context3(encoder));
    picture_ = avformat_new_stream(output_, nullptr);
    AVCodecContext& c = *picture_codec_;
    c.width = s.lens.width;
    c.height = s.lens.height;
    const Frame like = makeTagged();
    const detail::FramePtr av = detail::wrapForEncoder(like);
    c.pix_fmt = static_cast<AVPixelFormat>(av->format);
    c.color_primaries = av->color_primaries;
    c.color_trc = av->color_trc;
    c.colorspace = av->colorspace;
    c.color_range = av->color_range;
    c.chroma_sample_location = av->chroma_location;
    c.time_base = {static_cast<int>(settings_.fps.den), static_cast<int>(settings_.fps.num)};
    c.framerate = {static_cast<int>(settings_.fps.num), static_cast<int>(settings_.fps.den)};
    c.gop_size = 15;
    if (h264) {
      av_opt_set(c.priv_data, "preset", "medium", 0);
      av_opt_set(c.priv_data, "x264-params", detail::same264().c_str(), 0);
      if (settings_.bit_rate > 0) {
        c.bit_rate = settings_.bit_rate;
        c.rc_max_rate = settings_.bit_rate * 5 / 4;
        c.rc_buffer_size = static_cast<int>(settings_.bit_rate);
      } else {
        av_opt_set(c.priv_data, "crf", "14", 0);
      }
    } else {
      c.level = 3;
      c.gop_size = 1;
      c.slices = 4;
    }
    if (settings_.interlaced) {
      c.flags |= AV_CODEC_FLAG_INTERLACED_DCT | AV_CODEC_FLAG_INTERLACED_ME;
      c.field_order = AV_FIELD_TT;
    }
    if ((output_->oformat->flags & AVFMT_GLOBALHEADER) != 0) c.flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    require(avcodec_open2(&c, encoder, nullptr), path_);
    require(avcodec_parameters_from_context(picture_->codecpar, &c), path_);
    picture_->time_base = c.time_base;
    picture_->avg_frame_rate = c.framerate;
    if (settings_.rotation != 0) {
      auto* matrix = reinterpret_cast<int32_t*>(
          av_stream_new_side_data(picture_, AV_PKT_DATA_DISPLAYMATRIX, 9 * sizeof(int32_t)));
      av_display_rotation_set(matrix, settings_.rotation);
    }
    if (!settings_.timecode.empty())
      av_dict_set(&picture_->metadata, "timecode", settings_.timecode.c_str(), 0);
  }

  Frame makeTagged() const {
    Frame frame = makeFrame(camera_.setup().lens.width, camera_.setup().lens.height, camera_.setup().format);
    frame.colour = camera_.setup().colour;
    return frame;
  }

  void openSound() {
    const AVCodec* encoder = avcodec_find_encoder(AV_CODEC_ID_AAC);
    sound_codec_.reset(avcodec_alloc_context3(encoder));
    AVCodecContext& c = *sound_codec_;
    c.sample_rate = kSoundRate;
    c.sample_fmt = AV_SAMPLE_FMT_FLTP;
    c.bit_rate = 96000;
    av_channel_layout_default(&c.ch_layout, 1);
    c.time_base = {1, kSoundRate};
    if ((output_->oformat->flags & AVFMT_GLOBALHEADER) != 0) c.flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    require(avcodec_open2(&c, encoder, nullptr), path_);
    sound_ = avformat_new_stream(output_, nullptr);
    require(avcodec_parameters_from_context(sound_->codecpar, &c), path_);
    sound_->time_base = c.time_base;
  }

  void openTelemetry() {
    telemetry_ = avformat_new_stream(output_, nullptr);
    telemetry_->codecpar->codec_type = AVMEDIA_TYPE_SUBTITLE;
    const bool mp4 = path_.extension() != ".mkv";
    telemetry_->codecpar->codec_id = mp4 ? AV_CODEC_ID_MOV_TEXT : AV_CODEC_ID_SUBRIP;
    telemetry_->time_base = {1, 1000};
  }

  void tagFile() {
    const auto set = [&](const char* key, const std::string& value) {
      if (!value.empty()) av_dict_set(&output_->metadata, key, value.c_str(), 0);
    };
    set("make", settings_.make);
    set("model", settings_.model);
    if (settings_.iso) set("iso", std::to_string(*settings_.iso));
    set("creation_time", settings_.creation_time);
  }

  void encode(AVCodecContext& codec, AVStream& stream, const AVFrame* frame) {
    require(avcodec_send_frame(&codec, frame), path_);
    while (avcodec_receive_packet(&codec, packet_.get()) >= 0) {
      packet_->stream_index = stream.index;
      if (packet_->duration == 0 && &stream == picture_) packet_->duration = 1;
      av_packet_rescale_ts(packet_.get(), codec.time_base, stream.time_base);
      require(av_interleaved_write_frame(output_, packet_.get()), path_);
    }
  }

  void writeSound(double seconds) {
    const auto total = static_cast<int64_t>(seconds * kSoundRate);
    const int chunk = sound_codec_->frame_size;
    for (int64_t done = 0; done < total; done += chunk) {
      detail::FramePtr frame = detail::makeAvFrame();
      frame->format = AV_SAMPLE_FMT_FLTP;
      frame->nb_samples = static_cast<int>(std::min<int64_t>(chunk, total - done));
      frame->sample_rate = kSoundRate;
      av_channel_layout_default(&frame->ch_layout, 1);
      require(av_frame_get_buffer(frame.get(), 0), path_);
      auto* samples = reinterpret_cast<float*>(frame->data[0]);
      for (int i = 0; i < frame->nb_samples; ++i) samples[i] = soundAt(done + i);
      frame->pts = done;
      encode(*sound_codec_, *sound_, frame.get());
    }
    encode(*sound_codec_, *sound_, nullptr);
  }

  void writeTelemetry(double seconds) {
    const bool mp4 = telemetry_->codecpar->codec_id == AV_CODEC_ID_MOV_TEXT;
    for (int second = 0; second < seconds; ++second) {
      const std::string text = settings_.telemetry + "; t: " + std::to_string(second) + " s";
      const size_t head = mp4 ? 2 : 0;
      require(av_new_packet(packet_.get(), static_cast<int>(text.size() + head)), path_);
      // mov_text: a big-endian 16-bit length before the text (ISO/IEC 14496-17 timed text, from memory).
      if (mp4) {
        packet_->data[0] = static_cast<uint8_t>(text.size() >> 8);
        packet_->data[1] = static_cast<uint8_t>(text.size() & 255);
      }
      std::memcpy(packet_->data + head, text.data(), text.size());
      packet_->stream_index = telemetry_->index;
      packet_->pts = packet_->dts = second * 1000;
      packet_->duration = 1000;
      av_packet_rescale_ts(packet_.get(), {1, 1000}, telemetry_->time_base);
      require(av_interleaved_write_frame(output_, packet_.get()), path_);
    }
  }

  fs::path path_;
  const SimCamera& camera_;
  const FilmSettings& settings_;
  AVFormatContext* output_ = nullptr;
  AVStream *picture_ = nullptr, *sound_ = nullptr, *telemetry_ = nullptr;
  detail::CodecPtr picture_codec_, sound_codec_;
  detail::PacketPtr packet_ = detail::makePacket();
};

Frame weave(const Frame& top, const Frame& bottom) {
  Frame out = cloneFrame(top);
  for (size_t p = 0; p < static_cast<size_t>(out.format.numPlanes()); ++p)
    for (int y = 1; y < out.planes[p].height; y += 2)
      std::memcpy(out.planes[p].row<uint8_t>(y), bottom.planes[p].row<uint8_t>(y),
                  static_cast<size_t>(out.planes[p].width * out.format.bytesPerSample()));
  return out;
}

}  // namespace

void writeFilm(const fs::path& path, const SimCamera& camera, const FilmSettings& settings,
               const std::function<void(double)>& progress) {
  {
    FilmWriter writer(path, camera, settings);
    for (int64_t i = 0; i < settings.frames; ++i) {
      if (std::find(settings.dropped.begin(), settings.dropped.end(), i) != settings.dropped.end()) continue;
      writer.picture(
          settings.interlaced ? weave(camera.frame(2 * i), camera.frame(2 * i + 1)) : camera.frame(i), i);
      if (progress) progress(static_cast<double>(i + 1) / static_cast<double>(settings.frames));
    }
    writer.finish(settings.frames);
  }
  if (settings.keep_share < 1) {
    const auto size = static_cast<double>(fs::file_size(path));
    fs::resize_file(path, static_cast<uintmax_t>(size * settings.keep_share));
  }
}

std::string truthJson(const SimCamera& camera, const FilmSettings& settings) {
  using nlohmann::json;
  const CameraSetup& s = camera.setup();
  static const char* const kDirections[] = {"down", "up", "left", "right"};
  json out;
  out["lens"] = {{"model", lensModelName(s.lens.model)},
                 {"width", s.lens.width},
                 {"height", s.lens.height},
                 {"focal_px", {s.lens.fx, s.lens.fy}},
                 {"centre_px", {s.lens.cx, s.lens.cy}},
                 {"coefficients",
                  std::vector<double>(s.lens.k.begin(), s.lens.k.begin() + numCoefficients(s.lens.model))}};
  if (s.port_index > 1) out["lens"]["port_index"] = s.port_index;
  out["readout_ms"] = s.readout_s * 1000;
  out["direction"] = kDirections[static_cast<size_t>(s.direction)];
  out["noise"] = {{"photon", s.noise.photon}, {"read", s.noise.read}, {"blotch", s.noise.blotch}};
  out["sharpening"] = s.sharpening;
  out["fps"] = settings.fps.text();
  out["poses"] = json::array();
  for (int64_t i = 0; i < settings.frames; ++i) {
    const double t = static_cast<double>(i) / settings.fps.value();
    const Pose p = camera.pose(t);
    out["poses"].push_back({p.rx, p.ry, p.rz, p.position.x, p.position.y, p.position.z});
  }
  return out.dump() + "\n";
}

}  // namespace glenhaze::sim
