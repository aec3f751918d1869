#pragma once
// Decoding on a graphics card, and its pictures back into planes.

#include "core/media/detail/ffmpeg.h"
#include "core/media/graphics.h"

namespace glenhaze::detail {

/// Lets a decoder that is not opened yet work on a card. False: not for this codec, or the card does not open;
/// it is then as before.
bool prepareDecoding(AVCodecContext& context, const AVCodec& decoder, const GraphicsDecoder& card);

/// A picture that lies on a card, fetched and in planes of its own; any other as it is. For a stand-in every
/// picture goes that way, without a card. Throws GraphicsFailure.
FramePtr fetched(FramePtr frame, const GraphicsDecoder& card);

}  // namespace glenhaze::detail
