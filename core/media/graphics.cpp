#include "core/media/graphics.h"

#include <array>
#include <cstdlib>
#include <map>
#include <mutex>
#include <new>
#include <vector>

#include "core/base/numbers.h"
#include "core/frame/av_format.h"
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

}  // namespace glenhaze
