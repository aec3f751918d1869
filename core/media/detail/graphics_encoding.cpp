#include "core/media/detail/graphics_encoding.h"

extern "C" {
#include <libavutil/hwcontext.h>
#include <libavutil/opt.h>
#include <libavutil/pixdesc.h>
}

#include <array>
#include <memory>
#include <new>
#include <string_view>

#include "core/media/detail/codecs.h"

namespace glenhaze::detail {

namespace {

struct BufferUnref {
  void operator()(AVBufferRef* buffer) const { av_buffer_unref(&buffer); }
};
using BufferPtr = std::unique_ptr<AVBufferRef, BufferUnref>;

[[noreturn]] void failGraphics(const AVCodec& encoder, int code) {
  throw GraphicsFailure(ErrorKind::Unwritable, "The graphics card does not encode", encoder.name,
                        avText(code), "");
}

// Pictures that lie on the card, in two planes as such encoders take them.
void openDevice(AVCodecContext& context, const AVCodec& encoder, AVPixelFormat software) {
  AVBufferRef* raw = nullptr;
  int code = av_hwdevice_ctx_create(&raw, AV_HWDEVICE_TYPE_VAAPI, nullptr, nullptr, 0);
  const BufferPtr device(raw);
  if (code < 0) failGraphics(encoder, code);
  BufferPtr frames(av_hwframe_ctx_alloc(device.get()));
  if (!frames) throw std::bad_alloc();
  auto* about = reinterpret_cast<AVHWFramesContext*>(frames->data);
  constexpr int kPool = 20;  // what an encoder may hold back
  about->format = AV_PIX_FMT_VAAPI;
  about->sw_format = software;
  about->width = context.width;
  about->height = context.height;
  about->initial_pool_size = kPool;
  code = av_hwframe_ctx_init(frames.get());
  if (code < 0) failGraphics(encoder, code);
  context.hw_frames_ctx = frames.release();
  context.pix_fmt = AV_PIX_FMT_VAAPI;
}

}  // namespace

AVPixelFormat prepareGraphics(AVCodecContext& context, const AVCodec& encoder, const EncodeSettings& settings,
                              AVPixelFormat ours) {
  const std::string_view name = encoder.name;
  // As the processor's qualities; such encoders need more bits for the same look.
  static constexpr std::array<int, 3> kQuality = {25, 20, 16};
  const int quality = kQuality[static_cast<size_t>(settings.quality)];
  const int bits = av_pix_fmt_desc_get(ours)->comp[0].depth;
  const AVPixelFormat two_planes = bits > 8 ? AV_PIX_FMT_P010LE : AV_PIX_FMT_NV12;
  context.gop_size = 30;
  if (settings.codec == Codec::H265) context.codec_tag = MKTAG('h', 'v', 'c', '1');
  if (settings.bit_rate) context.bit_rate = *settings.bit_rate;
  if (name.ends_with("_vaapi")) {
    if (!settings.bit_rate) context.global_quality = quality;
    openDevice(context, encoder, two_planes);
    return two_planes;
  }
  if (name.ends_with("_qsv")) {
    if (!settings.bit_rate) context.global_quality = quality;
    context.pix_fmt = two_planes;
  } else if (name.ends_with("_nvenc")) {
    if (!settings.bit_rate) {
      av_opt_set(context.priv_data, "rc", "vbr", 0);
      av_opt_set_double(context.priv_data, "cq", quality, 0);
    }
    context.pix_fmt = encoderFormat(encoder, ours);
  } else {
    context.pix_fmt = encoderFormat(encoder, ours);  // the stand-in
    av_opt_set(context.priv_data, "preset", "ultrafast", 0);
    if (!settings.bit_rate) av_opt_set(context.priv_data, "crf", std::to_string(quality).c_str(), 0);
    if (name == "libx264") av_opt_set(context.priv_data, "x264-params", same264().c_str(), 0);
    if (name == "libx265") av_opt_set(context.priv_data, "x265-params", "log-level=error", 0);
  }
  return context.pix_fmt;
}

FramePtr handedOver(const AVCodecContext& context, FramePtr frame) {
  if (context.hw_frames_ctx == nullptr) return frame;
  FramePtr there = makeAvFrame();
  int code = av_hwframe_get_buffer(context.hw_frames_ctx, there.get(), 0);
  if (code >= 0) code = av_hwframe_transfer_data(there.get(), frame.get(), 0);
  if (code >= 0) code = av_frame_copy_props(there.get(), frame.get());
  if (code < 0) failGraphics(*context.codec, code);
  return there;
}

}  // namespace glenhaze::detail
