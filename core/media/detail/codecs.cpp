#include "core/media/detail/codecs.h"

extern "C" {
#include <libavutil/cpu.h>
}

#include <algorithm>
#include <array>
#include <cmath>
#include <new>
#include <string_view>
#include <thread>

namespace glenhaze {

namespace {

struct CodecFacts {
  Codec codec;
  const char* name;
  const char* encoder;
  const char* ending;
  bool still;
};

constexpr std::array<CodecFacts, 7> kCodecs = {{
    {Codec::H264, "h264", "libx264", ".mp4", false},
    {Codec::H265, "h265", "libx265", ".mp4", false},
    {Codec::ProRes422HQ, "prores", "prores_aw", ".mov", false},
    {Codec::Ffv1, "ffv1", "ffv1", ".mkv", false},
    {Codec::Png, "png", "png", ".png", true},
    {Codec::Tiff, "tiff", "tiff", ".tif", true},
    {Codec::Jpeg, "jpeg", "mjpeg", ".jpg", true},
}};

const CodecFacts& facts(Codec codec) {
  return *std::find_if(kCodecs.begin(), kCodecs.end(), [&](const CodecFacts& f) { return f.codec == codec; });
}

bool fitsMp4(const std::string& sound_codec) {
  static constexpr std::array<std::string_view, 7> kFits = {"aac",  "mp3",  "ac3", "eac3",
                                                            "alac", "opus", "mp2"};
  return std::find(kFits.begin(), kFits.end(), sound_codec) != kFits.end();
}

}  // namespace

std::optional<Codec> codecFromName(const std::string& name) {
  for (const CodecFacts& f : kCodecs)
    if (name == f.name) return f.codec;
  return std::nullopt;
}

std::string codecName(Codec codec) { return facts(codec).name; }
bool isStillCodec(Codec codec) { return facts(codec).still; }

namespace {
constexpr std::array<const char*, 4> kSounds = {"keep", "pcm", "none", "silent"};
}  // namespace

std::optional<Sound> soundFromName(const std::string& name) {
  for (size_t i = 0; i < kSounds.size(); ++i)
    if (name == kSounds[i]) return static_cast<Sound>(i);
  return std::nullopt;
}

std::string soundName(Sound sound) { return kSounds[static_cast<size_t>(sound)]; }

std::string outputEnding(const ClipInfo& source, const EncodeSettings& settings) {
  const std::string usual = facts(settings.codec).ending;
  if (isStillCodec(settings.codec)) return source.kind == ClipKind::Still ? usual : "";
  if (usual != ".mp4" || settings.sound == Sound::None || settings.sound == Sound::Silent) return usual;
  if (settings.sound == Sound::Pcm) return source.sound.empty() ? usual : ".mov";
  const bool all_fit = std::all_of(source.sound.begin(), source.sound.end(),
                                   [](const SoundInfo& s) { return fitsMp4(s.codec); });
  if (all_fit) return usual;
  const bool all_pcm = std::all_of(source.sound.begin(), source.sound.end(),
                                   [](const SoundInfo& s) { return s.codec.rfind("pcm_", 0) == 0; });
  return all_pcm ? ".mov" : ".mkv";
}

PixelFormat outputFormat(Codec codec, const PixelFormat& source) {
  PixelFormat format = source;
  switch (codec) {
    case Codec::H264:
    case Codec::H265:
      format.bit_depth = source.bit_depth > 8 ? 10 : 8;
      if (format.chroma == Chroma::Mono) format.chroma = Chroma::C420;
      if (format.chroma == Chroma::C440) format.chroma = Chroma::C444;
      break;
    case Codec::ProRes422HQ:
      format = {Chroma::C422, 10};
      break;
    case Codec::Jpeg:
      format.bit_depth = 8;
      break;
    default:
      break;
  }
  return format;
}

namespace detail {

std::string same264() {
  // What every processor with AVX-512 has is still asked for: x264 runs what it is told to have.
  constexpr int kUsed = AV_CPU_FLAG_SSSE3 | AV_CPU_FLAG_SSE42 | AV_CPU_FLAG_AVX | AV_CPU_FLAG_FMA3 |
                        AV_CPU_FLAG_BMI1 | AV_CPU_FLAG_BMI2 | AV_CPU_FLAG_AVX2;
  const int here = av_get_cpu_flags();
  if ((here & AV_CPU_FLAG_AVX512) == 0 || (here & kUsed) != kUsed) return "";
  return "asm=MMX2,SSE2Fast,SSSE3,SSE4.2,AVX,FMA3,BMI2,AVX2:";
}

const AVCodec* findEncoder(Codec codec) {
  const AVCodec* encoder = avcodec_find_encoder_by_name(facts(codec).encoder);
  if (encoder == nullptr)
    throw Error(ErrorKind::Unwritable, "This FFmpeg has no encoder for the format", facts(codec).name, "",
                "Choose another format");
  return encoder;
}

namespace {

// x265 keeps a pool of its own, which FFmpeg's number of threads does not bind.
std::string params265() {
  const int threads = codecThreads();
  return "log-level=error" + (threads > 0 ? ":pools=" + std::to_string(threads) : "");
}

// What the preset looks for beside: two pictures between others at all times are as good as searching how
// many there should be; smaller parts of a block, intra ones of 4 x 4 and a wider search bring nothing for
// finished pictures. A quarter less of its time for one percent more bytes at the same SSIM
// (docs/encoding.md).
constexpr const char* kSought264 = "b-adapt=0:bframes=2:partitions=i8x8:me=dia:";

// Each frame that x264 holds costs 40 MB at 4K and 10 bits. Looking ahead four of them needs half a percent
// more bytes for the same SSIM than ten, threads that share a frame as much more than threads with one each
// (docs/encoding.md). A thread of its own for looking ahead holds as many again. Where there are many cores
// the memory is there too, and threads that wait for each other cost more.
std::string params264(const AVCodecContext& context) {
  constexpr unsigned kFew = 4;
  const bool large = context.width * context.height > kLargePicture_px;
  const bool few = std::thread::hardware_concurrency() <= kFew;
  // A strict pyramid of pictures between others gives the same bytes here and holds one picture less.
  std::string params = same264();
  params += kSought264;
  // The finest steps within a sample bring less where there are more samples to the same picture, and no more
  // is gained by weighing two pictures unlike each other: a fifth of the time for one percent more bytes.
  params += large ? "rc-lookahead=4:b-pyramid=strict:subme=1:weightb=0" : "rc-lookahead=10";
  if (few) params += ":sync-lookahead=0";
  if (few && large) params += ":sliced-threads=1";
  return params;
}

}  // namespace

void applySettings(AVCodecContext& context, const EncodeSettings& settings) {
  // Constant-quality values: visually close to the source, smaller, and for further work.
  static constexpr std::array<const char*, 3> kCrf264 = {"24", "19", "15"};
  static constexpr std::array<const char*, 3> kCrf265 = {"26", "21", "17"};
  const auto quality = static_cast<size_t>(settings.quality);
  void* priv = context.priv_data;
  const bool is264 = settings.codec == Codec::H264;
  switch (settings.codec) {
    case Codec::H264:
    case Codec::H265:
      // The fastest ones that need no more bytes for the same SSIM than slower ones (docs/encoding.md).
      av_opt_set(priv, "preset", is264 ? "veryfast" : "fast", 0);
      if (settings.bit_rate)
        context.bit_rate = *settings.bit_rate;
      else
        av_opt_set(priv, "crf", (is264 ? kCrf264 : kCrf265)[quality], 0);
      // One key frame a second at most usual rates: quick to scrub.
      context.gop_size = 30;
      if (is264) {
        av_opt_set(priv, "x264-params", params264(context).c_str(), 0);
        if (context.thread_count == 0)
          // By itself it takes half as many again, each with frames of its own, and is no faster for it here.
          context.thread_count = static_cast<int>(std::max(1U, std::thread::hardware_concurrency()));
      } else {
        context.codec_tag = MKTAG('h', 'v', 'c', '1');
        av_opt_set(priv, "x265-params", params265().c_str(), 0);
      }
      break;
    case Codec::ProRes422HQ:
      // FFmpeg’s faster encoder: a quarter of the time of the other one at the same PSNR for its bytes
      // (docs/encoding.md).
      context.profile = FF_PROFILE_PRORES_HQ;
      break;
    case Codec::Ffv1:
      context.level = 3;
      context.slices = context.height >= 256 ? 16 : 4;
      context.gop_size = 1;
      av_opt_set_int(priv, "slicecrc", 1, 0);
      break;
    case Codec::Jpeg: {
      static constexpr std::array<int, 3> kScale = {8, 3, 1};
      context.flags |= AV_CODEC_FLAG_QSCALE;
      context.global_quality = FF_QP2LAMBDA * kScale[quality];
      context.qmin = 1;
      break;
    }
    default:
      break;
  }
}

namespace {

// "G(x,y)B(x,y)R(x,y)WP(x,y)L(max,min)" in steps of 0.00002 and 0.0001 cd/m², as both encoders take it.
std::string masteringText(const std::array<double, 10>& d) {
  const auto pair = [](double a, double b, double per) {
    return "(" + std::to_string(std::llround(a * per)) + "," + std::to_string(std::llround(b * per)) + ")";
  };
  constexpr double kChroma = 50000, kLight = 10000;
  return "G" + pair(d[2], d[3], kChroma) + "B" + pair(d[4], d[5], kChroma) + "R" + pair(d[0], d[1], kChroma) +
         "WP" + pair(d[6], d[7], kChroma) + "L" + pair(d[9], d[8], kLight);
}

}  // namespace

void applyHdr(AVCodecContext& context, const EncodeSettings& settings, const HdrTags& hdr) {
  const bool is264 = settings.codec == Codec::H264;
  if (hdr.empty() || (!is264 && settings.codec != Codec::H265)) return;
  std::string text = is264 ? params264(context) : params265() + ":repeat-headers=1:hdr10=1";
  const auto add = [&](const std::string& more) { text += (text.empty() ? "" : ":") + more; };
  if (hdr.display) add((is264 ? "mastering-display=" : "master-display=") + masteringText(*hdr.display));
  if (hdr.light)
    add((is264 ? "cll=" : "max-cll=") + std::to_string((*hdr.light)[0]) + "," +
        std::to_string((*hdr.light)[1]));
  av_opt_set(context.priv_data, is264 ? "x264-params" : "x265-params", text.c_str(), 0);
}

void addHdr(AVStream& stream, const HdrTags& hdr) {
  if (hdr.display) {
    const auto& d = *hdr.display;
    const auto chroma = [](double v) { return AVRational{static_cast<int>(std::lround(v * 50000)), 50000}; };
    const auto light = [](double v) { return AVRational{static_cast<int>(std::lround(v * 10000)), 10000}; };
    AVMasteringDisplayMetadata* m = av_mastering_display_metadata_alloc();
    if (m == nullptr) throw std::bad_alloc();
    for (size_t i = 0; i < 3; ++i) {
      m->display_primaries[i][0] = chroma(d[2 * i]);
      m->display_primaries[i][1] = chroma(d[2 * i + 1]);
    }
    m->white_point[0] = chroma(d[6]);
    m->white_point[1] = chroma(d[7]);
    m->min_luminance = light(d[8]);
    m->max_luminance = light(d[9]);
    m->has_primaries = m->has_luminance = 1;
    if (av_stream_add_side_data(&stream, AV_PKT_DATA_MASTERING_DISPLAY_METADATA,
                                reinterpret_cast<uint8_t*>(m), sizeof *m) < 0)
      av_free(m);
  }
  if (hdr.light) {
    size_t size = 0;
    AVContentLightMetadata* l = av_content_light_metadata_alloc(&size);
    if (l == nullptr) throw std::bad_alloc();
    l->MaxCLL = static_cast<unsigned>((*hdr.light)[0]);
    l->MaxFALL = static_cast<unsigned>((*hdr.light)[1]);
    if (av_stream_add_side_data(&stream, AV_PKT_DATA_CONTENT_LIGHT_LEVEL, reinterpret_cast<uint8_t*>(l),
                                size) < 0)
      av_free(l);
  }
}

AVPixelFormat encoderFormat(const AVCodec& encoder, AVPixelFormat format) {
  if (encoder.pix_fmts == nullptr) return format;
  for (const AVPixelFormat* f = encoder.pix_fmts; *f != AV_PIX_FMT_NONE; ++f)
    if (*f == format) return format;
  int loss = 0;
  return avcodec_find_best_pix_fmt_of_list(encoder.pix_fmts, format, 0, &loss);
}

}  // namespace detail
}  // namespace glenhaze
