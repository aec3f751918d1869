#include "core/media/jpeg.h"

#include "core/base/error.h"
#include "core/media/detail/ffmpeg.h"

namespace glenhaze {

using namespace detail;

namespace {

constexpr int kScale = 3;  // of quantization: good to look at, a tenth of a byte a pixel

void check(int code) {
  if (code < 0) throw Error(ErrorKind::Unwritable, "The picture cannot be encoded", "JPEG", avText(code), "");
}

}  // namespace

std::vector<uint8_t> jpegOf(const ScreenPicture& picture) {
  const AVCodec* codec = avcodec_find_encoder(AV_CODEC_ID_MJPEG);
  if (codec == nullptr) throw Error(ErrorKind::Unwritable, "This FFmpeg has no encoder for JPEG", "", "", "");
  const CodecPtr encoder(avcodec_alloc_context3(codec));
  encoder->width = picture.width;
  encoder->height = picture.height;
  encoder->pix_fmt = AV_PIX_FMT_YUVJ420P;
  encoder->color_range = AVCOL_RANGE_JPEG;
  encoder->time_base = {1, 25};
  encoder->flags |= AV_CODEC_FLAG_QSCALE;
  encoder->global_quality = FF_QP2LAMBDA * kScale;
  encoder->thread_count = 1;
  check(avcodec_open2(encoder.get(), codec, nullptr));
  const FramePtr frame = makeAvFrame();
  frame->format = encoder->pix_fmt;
  frame->width = picture.width;
  frame->height = picture.height;
  frame->quality = encoder->global_quality;
  check(av_frame_get_buffer(frame.get(), 0));
  const ScalerPtr scaler(sws_getContext(picture.width, picture.height, AV_PIX_FMT_BGR0, picture.width,
                                        picture.height, AV_PIX_FMT_YUVJ420P, SWS_BICUBIC | SWS_ACCURATE_RND,
                                        nullptr, nullptr, nullptr));
  if (!scaler) throw std::bad_alloc();
  const uint8_t* from = picture.bgrx.data();
  const int stride = 4 * picture.width;
  check(sws_scale(scaler.get(), &from, &stride, 0, picture.height, frame->data, frame->linesize));
  const PacketPtr packet = makePacket();
  check(avcodec_send_frame(encoder.get(), frame.get()));
  check(avcodec_send_frame(encoder.get(), nullptr));
  check(avcodec_receive_packet(encoder.get(), packet.get()));
  return {packet->data, packet->data + packet->size};
}

}  // namespace glenhaze
