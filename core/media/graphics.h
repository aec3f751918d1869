#pragma once
// Encoders of graphics cards, as this FFmpeg and this computer have them. Each is tried out before it is
// offered: that FFmpeg knows one says nothing of the card, its driver, and what that takes.

#include <optional>
#include <string>

#include "core/base/error.h"
#include "core/media/writer.h"

namespace glenhaze {

struct GraphicsEncoder {
  std::string name;      ///< FFmpeg's
  std::string words;     ///< for people: "NVENC"
  int fails_after = -1;  ///< of the stand-in alone: frames after which it fails on purpose; −1: never
};

/// The first one that has encoded some pictures of this format; empty where there is none. They are tried out
/// once in a process, which takes some tenths of a second. Safe from several threads.
///
/// GLENHAZE_GRAPHICS_STAND_IN in the environment puts a stand-in in place of all of them: "works", or the
/// number of frames after which it fails.
std::optional<GraphicsEncoder> graphicsEncoder(Codec codec, const PixelFormat& format);

/// A graphics card's encoder failed on the way: the same frames are to be encoded by the processor.
class GraphicsFailure : public Error {
 public:
  using Error::Error;
};

}  // namespace glenhaze
