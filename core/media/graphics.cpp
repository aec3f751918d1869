#include "core/media/graphics.h"

#include <algorithm>
#include <array>
#include <cstdlib>
#include <map>
#include <mutex>
#include <new>
#include <utility>
#include <vector>

#include "core/base/numbers.h"
#include "core/frame/av_format.h"
#include "core/media/detail/codecs.h"
#include "core/media/detail/graphics_decoding.h"
#include "core/media/detail/graphics_encoding.h"

namespace glenhaze {

namespace {

std::vector<GraphicsEncoder> candidatesFor(Codec codec) {
  const bool is264 = codec == Codec::H264;
  if (const char* stand_in = std::getenv("GLENHAZE_GRAPHICS_STAND_IN")) {
    const auto frames = parseNumber(stand_in);
    return {{is264 ? "libx264" : "libx265", "a stand-in", frames ? static_cast<int>(*frames) : -1}};
  }
  const std::string codec_name = is264 ? "h264" : "hevc";
  return {{codec_name + "_nvenc", "NVENC"},
          {codec_name + "_qsv", "Quick Sync"},
          {codec_name + "_vaapi", "VAAPI"}};
}

// Some pictures there and their packets back.
void tryOut(const GraphicsEncoder& one, Codec codec, const PixelFormat& format) {
  constexpr int kWidth = 640, kHeight = 368, kFrames = 4;
  const AVCodec* encoder = avcodec_find_encoder_by_name(one.name.c_str());
  const auto fail = [&](int code) {
    throw GraphicsFailure(ErrorKind::Unwritable, "The graphics card does not encode", one.name,
                          detail::avText(code), "");
  };
  if (encoder == nullptr) fail(AVERROR_ENCODER_NOT_FOUND);
  const detail::CodecPtr context(avcodec_alloc_context3(encoder));
  if (!context) throw std::bad_alloc();
  context->width = kWidth;
  context->height = kHeight;
  context->time_base = {1, 30};
  context->framerate = {30, 1};
  EncodeSettings settings;
  settings.codec = codec;
  const auto ours = static_cast<AVPixelFormat>(avPixelFormat(format, {}));
  const AVPixelFormat handed = detail::prepareGraphics(*context, *encoder, settings, ours);
  if (const int code = avcodec_open2(context.get(), encoder, nullptr); code < 0) fail(code);
  const detail::PacketPtr packet = detail::makePacket();
  int packets = 0;
  for (int i = 0; i <= kFrames; ++i) {
    detail::FramePtr frame;
    if (i < kFrames) {
      frame = detail::makeAvFrame();
      frame->format = handed;
      frame->width = kWidth;
      frame->height = kHeight;
      frame->pts = i;
      if (const int code = av_frame_get_buffer(frame.get(), 0); code < 0) fail(code);
      if (one.fails_after >= 0 && i >= one.fails_after) fail(AVERROR_EXTERNAL);
      frame = detail::handedOver(*context, std::move(frame));
    }
    int code = avcodec_send_frame(context.get(), frame.get());
    if (code < 0) fail(code);
    while ((code = avcodec_receive_packet(context.get(), packet.get())) >= 0) ++packets;
    if (code != AVERROR(EAGAIN) && code != AVERROR_EOF) fail(code);
  }
  if (packets != kFrames) fail(AVERROR_EXTERNAL);
}

std::optional<GraphicsEncoder> firstThatWorks(Codec codec, const PixelFormat& format) {
  for (const GraphicsEncoder& one : candidatesFor(codec)) {
    try {
      tryOut(one, codec, format);
      return one;
    } catch (const Error&) {
      // Not here: the next one.
    }
  }
  return std::nullopt;
}

}  // namespace

std::optional<GraphicsEncoder> graphicsEncoder(Codec codec, const PixelFormat& format) {
  if (codec != Codec::H264 && codec != Codec::H265) return std::nullopt;
  // Only what all of them take; the processor takes the rest.
  if (format.chroma != Chroma::C420 || format.bit_depth > 10) return std::nullopt;
  // What was asked is remembered, as is what it was asked of: tests change that.
  static std::mutex mutex;
  static std::map<std::string, std::optional<GraphicsEncoder>> known;
  const char* stand_in = std::getenv("GLENHAZE_GRAPHICS_STAND_IN");
  const std::string question =
      codecName(codec) + " " + std::to_string(format.bit_depth) + " " + (stand_in != nullptr ? stand_in : "");
  const std::lock_guard lock(mutex);
  const auto at = known.find(question);
  return at != known.end() ? at->second : known[question] = firstThatWorks(codec, format);
}

namespace {

constexpr int kTrialFrames = 6, kTrialWidth = 640, kTrialHeight = 368;

// Some pictures of H.264, as every such card decodes them.
std::vector<detail::PacketPtr> trialPackets(detail::CodecPtr& encoder) {
  const AVCodec* codec = avcodec_find_encoder_by_name("libx264");
  std::vector<detail::PacketPtr> packets;
  if (codec == nullptr) return packets;
  encoder.reset(avcodec_alloc_context3(codec));
  if (!encoder) throw std::bad_alloc();
  encoder->width = kTrialWidth;
  encoder->height = kTrialHeight;
  encoder->time_base = {1, 30};
  encoder->pix_fmt = AV_PIX_FMT_YUV420P;
  encoder->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
  av_opt_set(encoder->priv_data, "preset", "veryfast", 0);
  av_opt_set(encoder->priv_data, "x264-params", detail::same264().c_str(), 0);
  if (avcodec_open2(encoder.get(), codec, nullptr) < 0) return packets;
  for (int i = 0; i <= kTrialFrames; ++i) {
    detail::FramePtr frame;
    if (i < kTrialFrames) {
      frame = detail::makeAvFrame();
      frame->format = AV_PIX_FMT_YUV420P;
      frame->width = kTrialWidth;
      frame->height = kTrialHeight;
      frame->pts = i;
      if (av_frame_get_buffer(frame.get(), 0) < 0) return {};
      for (int p = 0; p < 3; ++p)
        for (int y = 0; y < kTrialHeight >> (p > 0 ? 1 : 0); ++y)
          for (int x = 0; x < kTrialWidth >> (p > 0 ? 1 : 0); ++x)
            frame->data[p][static_cast<ptrdiff_t>(y) * frame->linesize[p] + x] =
                static_cast<uint8_t>(60 + ((x + 3 * i) / 9 * 37 + (y + i) / 7 * 23 + 40 * p) % 140);
    }
    avcodec_send_frame(encoder.get(), frame.get());
    for (detail::PacketPtr packet = detail::makePacket();
         avcodec_receive_packet(encoder.get(), packet.get()) >= 0; packet = detail::makePacket())
      packets.push_back(std::move(packet));
  }
  return packets;
}

// All their samples, one behind the other; empty where it does not work.
std::vector<uint8_t> decodedBy(const GraphicsDecoder* card, const AVCodecContext& made,
                               const std::vector<detail::PacketPtr>& packets) {
  const AVCodec* decoder = avcodec_find_decoder(AV_CODEC_ID_H264);
  const detail::CodecPtr context(avcodec_alloc_context3(decoder));
  if (!context) throw std::bad_alloc();
  context->extradata = static_cast<uint8_t*>(
      av_mallocz(static_cast<size_t>(made.extradata_size) + AV_INPUT_BUFFER_PADDING_SIZE));
  context->extradata_size = made.extradata_size;
  std::copy_n(made.extradata, made.extradata_size, context->extradata);
  if (card != nullptr && !detail::prepareDecoding(*context, *decoder, *card)) return {};
  if (avcodec_open2(context.get(), decoder, nullptr) < 0) return {};
  std::vector<uint8_t> samples;
  int frames = 0;
  for (size_t i = 0; i <= packets.size(); ++i) {
    if (avcodec_send_packet(context.get(), i < packets.size() ? packets[i].get() : nullptr) < 0) return {};
    for (detail::FramePtr frame = detail::makeAvFrame();
         avcodec_receive_frame(context.get(), frame.get()) >= 0; frame = detail::makeAvFrame()) {
      if (card != nullptr) {
        // What the processor has decoded after all is no word for the card.
        if (!card->stand_in && frame->hw_frames_ctx == nullptr) return {};
        if (card->fails_after == frames) return {};
        frame = detail::fetched(std::move(frame), *card);
      }
      if (frame->format != AV_PIX_FMT_YUV420P) return {};
      ++frames;
      for (int p = 0; p < 3; ++p)
        for (int y = 0; y < kTrialHeight >> (p > 0 ? 1 : 0); ++y) {
          const uint8_t* row = frame->data[p] + static_cast<ptrdiff_t>(y) * frame->linesize[p];
          samples.insert(samples.end(), row, row + (kTrialWidth >> (p > 0 ? 1 : 0)));
        }
    }
  }
  return frames == kTrialFrames ? samples : std::vector<uint8_t>{};
}

std::vector<GraphicsDecoder> decoderCandidates() {
  if (const char* stand_in = std::getenv("GLENHAZE_GRAPHICS_DECODER_STAND_IN")) {
    const auto frames = parseNumber(stand_in);
    return {{"stand-in", "a stand-in", true, frames ? static_cast<int>(*frames) : -1}};
  }
  return {{"cuda", "NVDEC"}, {"vaapi", "VAAPI"}, {"vulkan", "Vulkan"}};
}

struct DecodingCard {
  std::mutex mutex;
  std::optional<GraphicsDecoder> card;
};
// What belongs to the process, as its number of threads does.
DecodingCard& decodingCardOfAll() {
  static DecodingCard one;
  return one;
}

std::optional<GraphicsDecoder> exchangedCard(std::optional<GraphicsDecoder> card) {
  const std::lock_guard lock(decodingCardOfAll().mutex);
  return std::exchange(decodingCardOfAll().card, std::move(card));
}

}  // namespace

std::vector<GraphicsDecoder> graphicsDecoders() {
  std::vector<GraphicsDecoder> works;
  detail::CodecPtr encoder;
  const auto packets = trialPackets(encoder);
  if (packets.empty()) return works;
  const std::vector<uint8_t> wanted = decodedBy(nullptr, *encoder, packets);
  for (const GraphicsDecoder& one : decoderCandidates()) try {
      if (!wanted.empty() && decodedBy(&one, *encoder, packets) == wanted) works.push_back(one);
    } catch (const GraphicsFailure&) {
      // Not here: the next one.
    }
  return works;
}

GraphicsDecoding::GraphicsDecoding(std::optional<GraphicsDecoder> card)
    : before_(exchangedCard(std::move(card))) {}
GraphicsDecoding::~GraphicsDecoding() { exchangedCard(std::move(before_)); }
void GraphicsDecoding::change(std::optional<GraphicsDecoder> card) { exchangedCard(std::move(card)); }

std::optional<GraphicsDecoder> decodingCard() {
  const std::lock_guard lock(decodingCardOfAll().mutex);
  return decodingCardOfAll().card;
}

std::optional<GraphicsDecoder> graphicsDecoderNamed(const std::string& name) {
  if (name.empty()) return std::nullopt;
  for (const GraphicsDecoder& one : graphicsDecoders())
    if (one.name == name) return one;
  return std::nullopt;
}

}  // namespace glenhaze
