#pragma once
// Which encoder, with which settings, a codec choice means.

#include "core/media/detail/ffmpeg.h"
#include "core/media/writer.h"

namespace glenhaze::detail {

const AVCodec* findEncoder(Codec codec);

/// Sets quality, bit rate and the like on a fresh context whose size and format are set.
void applySettings(AVCodecContext& context, const EncodeSettings& settings);

/// Says in the stream how bright the picture was meant, where the codec can; before the context is opened.
void applyHdr(AVCodecContext& context, const EncodeSettings& settings, const HdrTags& hdr);
/// And in the container.
void addHdr(AVStream& stream, const HdrTags& hdr);

/// The pixel format that `encoder` takes and that is nearest to `format`.
AVPixelFormat encoderFormat(const AVCodec& encoder, AVPixelFormat format);

}  // namespace glenhaze::detail
