#pragma once
// A picture as cameras store it: planes of Y′, Cb and Cr (or G, B, R, or Y′ alone), 8 to 16 bit, with
// the tags that say what the numbers mean. Pixel centres at integers, x right, y down, origin the
// centre of the top-left pixel.

#include <array>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>

#include "core/base/rational.h"

namespace glenhaze {

/// How the second and third plane are sampled against the first.
enum class Chroma { Mono, C420, C422, C440, C444 };

/// Where a subsampled chroma sample sits (ITU-T H.273, "ChromaLocType", from memory).
enum class ChromaSiting { Left, Center, TopLeft };

/// Code points of ITU-T H.273; 2 means "not said".
struct ColourTags {
  int primaries = 2;
  int transfer = 2;
  int matrix = 2;  ///< 0: the planes are G, B, R
  bool full_range = false;
  ChromaSiting siting = ChromaSiting::Left;
  bool operator==(const ColourTags&) const = default;
};

/// How bright the picture was meant and made (SMPTE ST 2086 and CTA-861.3, as carried by H.265 and
/// containers).
struct HdrTags {
  /// x, y of red, green, blue and white (CIE 1931), then the darkest and brightest of the display, cd/m²;
  /// empty: not said.
  std::optional<std::array<double, 10>> display;
  /// Brightest pixel, and brightest mean of a frame, cd/m²; empty: not said.
  std::optional<std::array<int, 2>> light;
  bool operator==(const HdrTags&) const = default;
  bool empty() const { return !display && !light; }
};

/// From here on a few pictures more are much memory; between 1080p and 4K.
constexpr int kLargePicture_px = 4'000'000;

struct PixelFormat {
  Chroma chroma = Chroma::C420;
  int bit_depth = 8;  ///< 8..16; more than 8 is stored in 16-bit words, low bits used

  bool operator==(const PixelFormat&) const = default;
  int bytesPerSample() const { return bit_depth > 8 ? 2 : 1; }
  int maxValue() const { return (1 << bit_depth) - 1; }
  int numPlanes() const { return chroma == Chroma::Mono ? 1 : 3; }
  /// log2 of the horizontal and vertical subsampling of planes 1 and 2.
  int shiftX() const { return chroma == Chroma::C420 || chroma == Chroma::C422 ? 1 : 0; }
  int shiftY() const { return chroma == Chroma::C420 || chroma == Chroma::C440 ? 1 : 0; }
};

/// One plane. Copies share the samples; whoever writes must own them alone.
struct Plane {
  std::shared_ptr<void> owner;
  std::byte* data = nullptr;
  ptrdiff_t stride = 0;  ///< bytes from row to row; rows of planes made here start 64-byte aligned
  int width = 0;
  int height = 0;

  template <typename T>
  T* row(int y) {
    return reinterpret_cast<T*>(data + y * stride);
  }
  template <typename T>
  const T* row(int y) const {
    return reinterpret_cast<const T*>(data + y * stride);
  }
  /// The sample at (x, y) whatever its depth; for tests and probes, not for loops over pictures.
  int at(int x, int y, int bytes_per_sample) const {
    return bytes_per_sample == 1 ? row<uint8_t>(y)[x] : row<uint16_t>(y)[x];
  }
};

/// In pixels. Where it stands for an output, 0 × 0 means the source's own.
struct PictureSize {
  int width = 0;
  int height = 0;
  bool operator==(const PictureSize&) const = default;
};

/// A picture that stands on a larger or smaller one: its first sample is at (x, y) of that.
struct Canvas {
  PictureSize size;  ///< 0 × 0: none, the picture stands for itself
  int x = 0, y = 0;
  bool operator==(const Canvas&) const = default;
};

struct Frame {
  int width = 0;
  int height = 0;
  PixelFormat format;
  ColourTags colour;
  HdrTags hdr;
  Rational sample_aspect{1, 1};  ///< width over height of one pixel
  bool interlaced = false;
  bool top_field_first = false;
  bool key_frame = false;
  int64_t pts = 0;       ///< in the clip's time base
  int64_t duration = 0;  ///< in the clip's time base; 0 when unknown
  int64_t index = -1;    ///< number of the frame in its clip, from 0; −1 when not from a clip
  std::array<Plane, 3> planes;

  bool empty() const { return width == 0; }
};

/// A frame with samples of its own, not initialised. Width and height from 1 up; chroma planes are
/// rounded up where the size is odd.
Frame makeFrame(int width, int height, PixelFormat format);

/// A frame with new, uninitialised samples and everything else as in `like`.
Frame makeFrameLike(const Frame& like, int width, int height);

/// Deep copy.
Frame cloneFrame(const Frame& frame);

/// The value of plane `plane` that shows as black.
int blackValue(const PixelFormat& format, const ColourTags& colour, int plane);

/// True when both have the same size, format and samples.
bool sameSamples(const Frame& a, const Frame& b);

}  // namespace glenhaze
