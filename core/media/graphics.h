#pragma once
// Encoders and decoders of graphics cards, as this FFmpeg and this computer have them. Each is tried out before it is
// offered: that FFmpeg knows one says nothing of the card, its driver, and what that takes.

#include <optional>
#include <string>
#include <vector>

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

struct GraphicsDecoder {
  std::string name;       ///< FFmpeg's, of the kind of card
  std::string words;      ///< for people
  bool stand_in = false;  ///< the processor in its place
  int fails_after = -1;   ///< of the stand-in alone: frames after which it fails on purpose; −1: never
};

/// All that have decoded some pictures to the same codes as the processor. They are tried out each time, which
/// takes some tenths of a second. GLENHAZE_GRAPHICS_DECODER_STAND_IN in the environment puts a stand-in in
/// place of all of them, as above.
std::vector<GraphicsDecoder> graphicsDecoders();

/// Clips are decoded by this card, where it can and until it fails, for as long as this lives; then what was
/// said before holds again. Like the number of threads it belongs to the computer. Clips that are open already
/// go on as they began.
class GraphicsDecoding {
 public:
  explicit GraphicsDecoding(std::optional<GraphicsDecoder> card);
  ~GraphicsDecoding();
  GraphicsDecoding(const GraphicsDecoding&) = delete;
  GraphicsDecoding& operator=(const GraphicsDecoding&) = delete;
  void change(std::optional<GraphicsDecoder> card);

 private:
  std::optional<GraphicsDecoder> before_;
};

/// The card that decodes now; empty: the processor.
std::optional<GraphicsDecoder> decodingCard();

/// The one of this name, as it is kept in settings; empty for none, and where it does not work here.
std::optional<GraphicsDecoder> graphicsDecoderNamed(const std::string& name);

/// A graphics card failed on the way: the processor is to do the same.
class GraphicsFailure : public Error {
 public:
  using Error::Error;
};

}  // namespace glenhaze
