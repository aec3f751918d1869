#include "core/media/detail/made_sound.h"

#include <algorithm>
#include <cmath>
#include <cstring>

namespace glenhaze::detail {

namespace {

constexpr int kBlock = 1024;          // samples of each channel that are written at a time; that of AAC
constexpr int64_t kAac_bps = 96'000;  // for each channel: nobody hears the difference

void require(int code) {
  if (code < 0) throw Error(ErrorKind::Unwritable, "Cannot write the sound", "", avText(code), "");
}

}  // namespace

MadeSoundTrack::MadeSoundTrack(AVFormatContext& output, MadeSound sound, bool pcm)
    : sound_(std::move(sound)), stream_(avformat_new_stream(&output, nullptr)) {
  if (stream_ == nullptr) throw std::bad_alloc();
  const bool aac = !pcm && std::strcmp(output.oformat->name, "mp4") == 0;
  const AVCodec* codec = avcodec_find_encoder(aac ? AV_CODEC_ID_AAC : AV_CODEC_ID_PCM_S24LE);
  encoder_.reset(avcodec_alloc_context3(codec));
  if (!encoder_) throw std::bad_alloc();
  encoder_->sample_rate = sound_.sample_rate;
  encoder_->sample_fmt = aac ? AV_SAMPLE_FMT_FLTP : AV_SAMPLE_FMT_S32;
  encoder_->bit_rate = aac ? kAac_bps * sound_.channels : 0;
  encoder_->time_base = {1, sound_.sample_rate};
  encoder_->flags |= AV_CODEC_FLAG_BITEXACT;
  if ((output.oformat->flags & AVFMT_GLOBALHEADER) != 0) encoder_->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
  av_channel_layout_default(&encoder_->ch_layout, sound_.channels);
  require(avcodec_open2(encoder_.get(), codec, nullptr));
  require(avcodec_parameters_from_context(stream_->codecpar, encoder_.get()));
  stream_->time_base = encoder_->time_base;
}

void MadeSoundTrack::writeSamples(AVFormatContext& output, int count) {
  const auto channels = static_cast<size_t>(sound_.channels);
  samples_.assign(static_cast<size_t>(count) * channels, 0.0F);
  if (sound_.fill) sound_.fill(samples_);
  const FramePtr frame = makeAvFrame();
  frame->format = encoder_->sample_fmt;
  frame->sample_rate = sound_.sample_rate;
  frame->nb_samples = count;
  frame->pts = written_;
  av_channel_layout_copy(&frame->ch_layout, &encoder_->ch_layout);
  require(av_frame_get_buffer(frame.get(), 0));
  constexpr double kFull = 2147483392;  // the largest float below 2³¹
  for (size_t i = 0; i < static_cast<size_t>(count); ++i)
    for (size_t c = 0; c < channels; ++c) {
      const float value = std::clamp(samples_[i * channels + c], -1.0F, 1.0F);
      if (encoder_->sample_fmt == AV_SAMPLE_FMT_FLTP)
        reinterpret_cast<float*>(frame->extended_data[c])[i] = value;
      else
        reinterpret_cast<int32_t*>(frame->extended_data[0])[i * channels + c] =
            static_cast<int32_t>(std::lround(value * kFull));
    }
  encode(output, frame.get());
  written_ += count;
}

void MadeSoundTrack::encode(AVFormatContext& output, const AVFrame* frame) {
  require(avcodec_send_frame(encoder_.get(), frame));
  const PacketPtr packet = makePacket();
  while (avcodec_receive_packet(encoder_.get(), packet.get()) >= 0) {
    packet->stream_index = stream_->index;
    av_packet_rescale_ts(packet.get(), encoder_->time_base, stream_->time_base);
    require(av_interleaved_write_frame(&output, packet.get()));
  }
}

void MadeSoundTrack::writeUntil(AVFormatContext& output, double until_s) {
  while (static_cast<double>(written_ + kBlock) <= until_s * sound_.sample_rate) writeSamples(output, kBlock);
}

void MadeSoundTrack::finish(AVFormatContext& output, double end_s) {
  writeUntil(output, end_s);
  const int64_t end = std::llround(end_s * sound_.sample_rate);
  if (end > written_) writeSamples(output, static_cast<int>(end - written_));
  encode(output, nullptr);
}

}  // namespace glenhaze::detail
