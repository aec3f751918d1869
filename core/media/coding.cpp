#include "core/media/coding.h"

extern "C" {
#include <libavutil/video_enc_params.h>
}

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/media/detail/ffmpeg.h"

namespace glenhaze {

namespace {

constexpr int kMostFrames = 24;  // key pictures and those between them

// The decoder of a clip, set to tell its steps.
struct TellingDecoder {
  detail::InputPtr input;
  detail::CodecPtr codec;
  int video = -1;
};

TellingDecoder tellingDecoderOf(const ClipInfo& clip) {
  TellingDecoder d;
  d.input = detail::openInput(clip.path);
  d.video = detail::findVideo(*d.input);
  if (d.video < 0) return d;
  const AVCodecParameters* parameters = d.input->streams[d.video]->codecpar;
  const AVCodec* decoder = avcodec_find_decoder(parameters->codec_id);
  if (decoder == nullptr) return d;
  d.codec.reset(avcodec_alloc_context3(decoder));
  avcodec_parameters_to_context(d.codec.get(), parameters);
  d.codec->thread_count = detail::codecThreads();
  d.codec->export_side_data |= AV_CODEC_EXPORT_DATA_VIDEO_ENC_PARAMS;
  return d;
}

// What the first frames of a stream of H.264 say.
struct Told {
  std::vector<int> quantisers;
  bool predicts = false, between = false;
};

void addFrame(const AVFrame& frame, Told& told) {
  told.predicts = told.predicts || frame.pict_type != AV_PICTURE_TYPE_I;
  told.between = told.between || frame.pict_type == AV_PICTURE_TYPE_B;
  const AVFrameSideData* side = av_frame_get_side_data(&frame, AV_FRAME_DATA_VIDEO_ENC_PARAMS);
  if (side == nullptr) return;
  auto* params = reinterpret_cast<AVVideoEncParams*>(side->data);
  if (params->type != AV_VIDEO_ENC_PARAMS_H264) return;
  for (unsigned i = 0; i < params->nb_blocks; ++i)
    told.quantisers.push_back(params->qp + av_video_enc_params_block(params, i)->delta_qp);
}

Told toldBy(TellingDecoder& decoder, const Progress& progress) {
  const detail::PacketPtr packet = detail::makePacket();
  const detail::FramePtr frame = detail::makeAvFrame();
  Told told;
  bool draining = false;
  for (int frames = 0; frames < kMostFrames;) {
    progress.check();
    const int got = avcodec_receive_frame(decoder.codec.get(), frame.get());
    if (got >= 0) {
      addFrame(*frame, told);
      ++frames;
      continue;
    }
    if (got != AVERROR(EAGAIN) || draining) break;
    draining = av_read_frame(decoder.input.get(), packet.get()) < 0;
    if (draining || packet->stream_index == decoder.video)
      avcodec_send_packet(decoder.codec.get(), draining ? nullptr : packet.get());
    av_packet_unref(packet.get());
  }
  return told;
}

}  // namespace

Coding codingOf(const ClipInfo& clip, const Progress& progress) {
  TellingDecoder decoder = tellingDecoderOf(clip);
  if (!decoder.codec) return {};
  const AVCodecID codec = decoder.codec->codec_id;
  const AVCodecDescriptor* about = avcodec_descriptor_get(codec);
  const bool with_loss = about != nullptr && (about->props & AV_CODEC_PROP_LOSSY) != 0 &&
                         (about->props & AV_CODEC_PROP_INTRA_ONLY) == 0;
  // Of other streams, whether pictures come out of order.
  if (codec != AV_CODEC_ID_H264) return {with_loss, with_loss && decoder.codec->has_b_frames > 0, {}};
  const int opened = avcodec_open2(decoder.codec.get(), decoder.codec->codec, nullptr);
  if (opened < 0)
    throw Error(ErrorKind::Unreadable, "Cannot decode the clip", clip.path.string(), detail::avText(opened),
                "");
  Told told = toldBy(decoder, progress);
  if (told.quantisers.empty()) return {told.predicts, told.between, {}};
  const auto middle = told.quantisers.begin() + static_cast<ptrdiff_t>(told.quantisers.size() / 2);
  std::nth_element(told.quantisers.begin(), middle, told.quantisers.end());
  if (*middle <= 0) return {};  // without loss
  // Quantiser 4 is a step of one sample's unit, and six more are twice the step; deeper samples have finer
  // units. libavcodec counts from 0 at every depth.
  return {told.predicts, told.between, std::exp2((*middle - 4) / 6.0) / (1 << (clip.format.bit_depth - 8))};
}

}  // namespace glenhaze
