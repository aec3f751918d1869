#pragma once
// Which encoder, with which settings, a codec choice means.

#include <string>

#include "core/media/detail/ffmpeg.h"
#include "core/media/writer.h"

namespace glenhaze::detail {

const AVCodec* findEncoder(Codec codec);

/// What x264 needs among its parameters, ahead of others, for the same pictures to become the same bytes.
/// Where it uses AVX-512 and the macroblocks of a row are no multiple of eight (2.7K, 960 × 540), its
/// weighing of blocks by what is predicted from them (mbtree) reads memory that nobody wrote (core 164, found
/// by filling memory with other values). It is as fast without (1080p, veryfast, two threads: 2.20 and 2.22
/// s, medians of five).
std::string same264();

/// Sets quality, bit rate and the like on a fresh context whose size and format are set.
void applySettings(AVCodecContext& context, const EncodeSettings& settings);

/// Says in the stream how bright the picture was meant, where the codec can; before the context is opened.
void applyHdr(AVCodecContext& context, const EncodeSettings& settings, const HdrTags& hdr);
/// And in the container.
void addHdr(AVStream& stream, const HdrTags& hdr);

/// The pixel format that `encoder` takes and that is nearest to `format`.
AVPixelFormat encoderFormat(const AVCodec& encoder, AVPixelFormat format);

}  // namespace glenhaze::detail
