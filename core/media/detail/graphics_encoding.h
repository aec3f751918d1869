#pragma once
// How pictures come to an encoder of a graphics card.

#include "core/media/detail/ffmpeg.h"
#include "core/media/graphics.h"

namespace glenhaze::detail {

/// Sets quality, pixel format and what else such an encoder needs on a context whose size is set, for
/// pictures like `ours`; returns the format that frames are to be handed over in. Throws GraphicsFailure.
AVPixelFormat prepareGraphics(AVCodecContext& context, const AVCodec& encoder, const EncodeSettings& settings,
                              AVPixelFormat ours);

/// A frame where the encoder wants it: on the card, or as it is. Throws GraphicsFailure.
FramePtr handedOver(const AVCodecContext& context, FramePtr frame);

}  // namespace glenhaze::detail
