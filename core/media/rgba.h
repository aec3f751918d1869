#pragma once
// Pictures with transparency, in and out: overlays that were drawn in another program, plates to draw them
// on. Stills (PNG, TIFF, OpenEXR), numbered sequences of them (a name with one %0Nd), and clips: any that
// FFmpeg reads, ProRes 4444 written.

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "core/base/rational.h"
#include "core/frame/frame.h"
#include "core/media/source_guard.h"

namespace glenhaze {

/// Red, green, blue as coded (1: white; more where a file of floating point numbers has it), each multiplied
/// by alpha, and alpha 0..1. Rows tight.
struct RgbaPicture {
  int width = 0, height = 0;
  std::vector<float> rgba;
  RgbaPicture() = default;
  /// Transparent all over.
  RgbaPicture(int width_px, int height_px)
      : width(width_px),
        height(height_px),
        rgba(4 * static_cast<size_t>(width_px) * static_cast<size_t>(height_px)) {}
  float* row(int y) { return rgba.data() + 4 * static_cast<size_t>(y) * static_cast<size_t>(width); }
  const float* row(int y) const {
    return rgba.data() + 4 * static_cast<size_t>(y) * static_cast<size_t>(width);
  }
};

/// How colours are kept in a file beside their transparency.
enum class AlphaKind { Straight, Premultiplied };
/// What is usual: premultiplied in OpenEXR ("Technical Introduction to OpenEXR"), straight elsewhere (PNG,
/// W3C; for films common practice, no source).
AlphaKind usualAlpha(const std::filesystem::path& file);

/// Not safe for two threads at once.
class RgbaReader {
 public:
  /// Throws Error(Unreadable). What has no transparency is opaque.
  RgbaReader(const std::filesystem::path& file, AlphaKind alpha);
  ~RgbaReader();
  RgbaReader(const RgbaReader&) = delete;
  RgbaReader& operator=(const RgbaReader&) = delete;

  /// Empty at the end. Throws Error(Unreadable).
  std::optional<RgbaPicture> next();
  /// One picture, which holds for as long as it is wanted.
  bool still() const;

 private:
  struct State;
  std::unique_ptr<State> state_;
};

/// Sixteen bits in PNG and TIFF, half precision in OpenEXR, ten bits by BT.709 in ProRes. Until finish() has
/// returned nothing is there under the final name; of a sequence, what was written goes again.
class RgbaWriter {
 public:
  /// `guard`: what is never written over, whatever is allowed. Throws Error(Unwritable) where something has
  /// the name and may not be replaced, Error(BadRequest) for an ending that is none of .png, .tif, .tiff,
  /// .exr, .mov.
  RgbaWriter(const std::filesystem::path& file, AlphaKind alpha, Rational fps, bool overwrite,
             const SourceGuard& guard = {});
  ~RgbaWriter();
  RgbaWriter(const RgbaWriter&) = delete;
  RgbaWriter& operator=(const RgbaWriter&) = delete;

  /// Whether it is for one picture only.
  static bool takesOne(const std::filesystem::path& file);
  /// All of one size. Throws Error(Unwritable).
  void write(const RgbaPicture& picture);
  void finish();

 private:
  struct State;
  std::unique_ptr<State> state_;
};

}  // namespace glenhaze
