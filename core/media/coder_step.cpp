#include "core/media/coder_step.h"

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

// The decoder of a clip of H.264, set to tell its steps.
struct TellingDecoder {
  detail::InputPtr input;
  detail::CodecPtr codec;
  int video = -1;
};

std::optional<TellingDecoder> tellingDecoderOf(const ClipInfo& clip) {
  TellingDecoder d;
  d.input = detail::openInput(clip.path);
  d.video = detail::findVideo(*d.input);
  if (d.video < 0) return std::nullopt;
  const AVCodecParameters* parameters = d.input->streams[d.video]->codecpar;
  if (parameters->codec_id != AV_CODEC_ID_H264) return std::nullopt;
  const AVCodec* decoder = avcodec_find_decoder(parameters->codec_id);
  if (decoder == nullptr) return std::nullopt;
  d.codec.reset(avcodec_alloc_context3(decoder));
  avcodec_parameters_to_context(d.codec.get(), parameters);
  d.codec->thread_count = detail::codecThreads();
  d.codec->export_side_data |= AV_CODEC_EXPORT_DATA_VIDEO_ENC_PARAMS;
  const int opened = avcodec_open2(d.codec.get(), decoder, nullptr);
  if (opened < 0)
    throw Error(ErrorKind::Unreadable, "Cannot decode the clip", clip.path.string(), detail::avText(opened),
                "");
  return d;
}

// Adds the quantiser of each block of a frame; false when it does not say.
bool addQuantisers(const AVFrame& frame, std::vector<int>& quantisers) {
  const AVFrameSideData* side = av_frame_get_side_data(&frame, AV_FRAME_DATA_VIDEO_ENC_PARAMS);
  if (side == nullptr) return false;
  auto* params = reinterpret_cast<AVVideoEncParams*>(side->data);
  if (params->type != AV_VIDEO_ENC_PARAMS_H264) return false;
  for (unsigned i = 0; i < params->nb_blocks; ++i)
    quantisers.push_back(params->qp + av_video_enc_params_block(params, i)->delta_qp);
  return true;
}

}  // namespace

std::optional<double> coderStep(const ClipInfo& clip, const Progress& progress) {
  auto decoder = tellingDecoderOf(clip);
  if (!decoder) return std::nullopt;
  const detail::PacketPtr packet = detail::makePacket();
  const detail::FramePtr frame = detail::makeAvFrame();
  std::vector<int> quantisers;
  int frames = 0;
  bool draining = false;
  while (frames < kMostFrames) {
    progress.check();
    const int got = avcodec_receive_frame(decoder->codec.get(), frame.get());
    if (got >= 0) {
      if (!addQuantisers(*frame, quantisers)) return std::nullopt;
      ++frames;
      continue;
    }
    if (got != AVERROR(EAGAIN) || draining) break;
    draining = av_read_frame(decoder->input.get(), packet.get()) < 0;
    if (draining || packet->stream_index == decoder->video)
      avcodec_send_packet(decoder->codec.get(), draining ? nullptr : packet.get());
    av_packet_unref(packet.get());
  }
  if (quantisers.empty()) return std::nullopt;
  const auto middle = quantisers.begin() + static_cast<ptrdiff_t>(quantisers.size() / 2);
  std::nth_element(quantisers.begin(), middle, quantisers.end());
  // Quantiser 4 is a step of one sample's unit, and six more are twice the step; deeper samples have finer
  // units. libavcodec counts from 0 at every depth.
  const double step = std::exp2((*middle - 4) / 6.0) / (1 << (clip.format.bit_depth - 8));
  return *middle > 0 ? std::optional(step) : std::nullopt;
}

}  // namespace glenhaze
