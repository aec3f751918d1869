#include "core/media/detail/graphics_decoding.h"

extern "C" {
#include <libavutil/hwcontext.h>
}

#include <array>
#include <cstdint>
#include <new>

namespace glenhaze::detail {

namespace {

[[noreturn]] void failDecoding(const GraphicsDecoder& card, int code) {
  throw GraphicsFailure(ErrorKind::Unreadable, "The graphics card does not decode", card.name, avText(code),
                        "");
}

// The card's own kind of picture where it is offered, else what the processor makes.
AVPixelFormat chooseOnCard(AVCodecContext* context, const AVPixelFormat* offered) {
  const auto wanted = static_cast<AVPixelFormat>(reinterpret_cast<intptr_t>(context->opaque));
  for (const AVPixelFormat* one = offered; *one != AV_PIX_FMT_NONE; ++one)
    if (*one == wanted) return *one;
  return avcodec_default_get_format(context, offered);
}

AVPixelFormat onCard(const AVCodec& decoder, AVHWDeviceType type) {
  for (int i = 0;; ++i) {
    const AVCodecHWConfig* config = avcodec_get_hw_config(&decoder, i);
    if (config == nullptr) return AV_PIX_FMT_NONE;
    if (config->device_type == type && (config->methods & AV_CODEC_HW_CONFIG_METHOD_HW_DEVICE_CTX) != 0)
      return config->pix_fmt;
  }
}

FramePtr emptyLike(const AVFrame& frame, AVPixelFormat format, const GraphicsDecoder& card) {
  FramePtr made = makeAvFrame();
  made->format = format;
  made->width = frame.width;
  made->height = frame.height;
  int code = av_frame_get_buffer(made.get(), 0);
  if (code >= 0) code = av_frame_copy_props(made.get(), &frame);
  if (code < 0) failDecoding(card, code);
  return made;
}

// Luma in one plane, Cb and Cr beside each other in another: what cards give. `up`: how much higher their
// codes stand than ours.
template <typename T, bool together>
void moveColours(const AVFrame& planar, const AVFrame& two, int up) {
  const int width = (planar.width + 1) / 2, height = (planar.height + 1) / 2;
  const auto row = [](const AVFrame& frame, int plane, int y) {
    return reinterpret_cast<T*>(frame.data[plane] + static_cast<ptrdiff_t>(y) * frame.linesize[plane]);
  };
  for (int y = 0; y < planar.height; ++y)
    for (int x = 0; x < planar.width; ++x)
      if constexpr (together)
        row(two, 0, y)[x] = static_cast<T>(row(planar, 0, y)[x] << up);
      else
        row(planar, 0, y)[x] = static_cast<T>(row(two, 0, y)[x] >> up);
  for (int y = 0; y < height; ++y) {
    T *cb = row(planar, 1, y), *cr = row(planar, 2, y), *both = row(two, 1, y);
    for (int x = 0; x < width; ++x)
      if constexpr (together) {
        both[2 * x] = static_cast<T>(cb[x] << up);
        both[2 * x + 1] = static_cast<T>(cr[x] << up);
      } else {
        cb[x] = static_cast<T>(both[2 * x] >> up);
        cr[x] = static_cast<T>(both[2 * x + 1] >> up);
      }
  }
}

constexpr int kP010 = 6;  // its ten bits are the upper ones of sixteen

FramePtr inPlanes(FramePtr frame, const GraphicsDecoder& card) {
  if (frame->format == AV_PIX_FMT_NV12) {
    FramePtr planar = emptyLike(*frame, AV_PIX_FMT_YUV420P, card);
    moveColours<uint8_t, false>(*planar, *frame, 0);
    return planar;
  }
  if (frame->format == AV_PIX_FMT_P010LE) {
    FramePtr planar = emptyLike(*frame, AV_PIX_FMT_YUV420P10LE, card);
    moveColours<uint16_t, false>(*planar, *frame, kP010);
    return planar;
  }
  return frame;
}

// What a card would give.
FramePtr asACardGives(FramePtr frame, const GraphicsDecoder& card) {
  if (frame->format == AV_PIX_FMT_YUV420P) {
    FramePtr two = emptyLike(*frame, AV_PIX_FMT_NV12, card);
    moveColours<uint8_t, true>(*frame, *two, 0);
    return two;
  }
  if (frame->format == AV_PIX_FMT_YUV420P10LE) {
    FramePtr two = emptyLike(*frame, AV_PIX_FMT_P010LE, card);
    moveColours<uint16_t, true>(*frame, *two, kP010);
    return two;
  }
  return frame;
}

}  // namespace

bool prepareDecoding(AVCodecContext& context, const AVCodec& decoder, const GraphicsDecoder& card) {
  if (card.stand_in) return true;
  const AVHWDeviceType type = av_hwdevice_find_type_by_name(card.name.c_str());
  const AVPixelFormat format = onCard(decoder, type);
  if (type == AV_HWDEVICE_TYPE_NONE || format == AV_PIX_FMT_NONE) return false;
  if (av_hwdevice_ctx_create(&context.hw_device_ctx, type, nullptr, nullptr, 0) < 0) return false;
  context.opaque = reinterpret_cast<void*>(static_cast<intptr_t>(format));
  context.get_format = chooseOnCard;
  // The card is the one that works at once.
  context.thread_count = 1;
  return true;
}

FramePtr fetched(FramePtr frame, const GraphicsDecoder& card) {
  if (card.stand_in) return inPlanes(asACardGives(std::move(frame), card), card);
  if (frame->hw_frames_ctx == nullptr) return frame;
  FramePtr here = makeAvFrame();
  int code = av_hwframe_transfer_data(here.get(), frame.get(), 0);
  if (code >= 0) code = av_frame_copy_props(here.get(), frame.get());
  if (code < 0) failDecoding(card, code);
  return inPlanes(std::move(here), card);
}

}  // namespace glenhaze::detail
