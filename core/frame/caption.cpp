#include "core/frame/caption.h"

#include <ft2build.h>
#include FT_FREETYPE_H

#include <algorithm>
#include <cmath>
#include <memory>

#include "core/base/error.h"

// The type is compiled in: it is there wherever the program is.
asm(".pushsection .rodata\n"
    ".balign 16\n"
    ".global glenhaze_caption_type\n"
    "glenhaze_caption_type:\n"
    ".incbin \"" GLENHAZE_CAPTION_TYPE
    "\"\n"
    ".global glenhaze_caption_type_end\n"
    "glenhaze_caption_type_end:\n"
    ".popsection\n");
extern "C" {
extern const unsigned char glenhaze_caption_type[];
extern const unsigned char glenhaze_caption_type_end[];
}

namespace glenhaze {

namespace {

constexpr double kGround = 0.62;  // how much of the picture the ground takes away

struct LibraryCloser {
  void operator()(FT_Library library) const { FT_Done_FreeType(library); }
};
struct FaceCloser {
  void operator()(FT_Face face) const { FT_Done_Face(face); }
};

// Code points of UTF-8; what is none is passed over.
std::vector<uint32_t> codePoints(const std::string& text) {
  std::vector<uint32_t> points;
  for (size_t i = 0; i < text.size();) {
    const auto lead = static_cast<unsigned char>(text[i]);
    const size_t more = lead < 0x80        ? 0
                        : lead >> 5U == 6  ? 1
                        : lead >> 4U == 14 ? 2
                        : lead >> 3U == 30 ? 3
                                           : 9;
    if (more == 9 || i + more >= text.size() + (more == 0 ? 1 : 0)) {
      ++i;
      continue;
    }
    uint32_t point = more == 0 ? lead : lead & (0x3FU >> more);
    for (size_t k = 1; k <= more; ++k)
      point = point << 6U | (static_cast<unsigned char>(text[i + k]) & 0x3FU);
    points.push_back(point);
    i += more + 1;
  }
  return points;
}

}  // namespace

Caption::Caption(const std::string& utf8, int px) {
  constexpr int kLeast = 4, kMost = 512;
  if (px < kLeast || px > kMost)
    throw Error(ErrorKind::BadRequest, "A caption cannot be so high", "", std::to_string(px) + " px", "");
  FT_Library raw_library = nullptr;
  FT_Face raw_face = nullptr;
  if (FT_Init_FreeType(&raw_library) != 0) throw std::bad_alloc();
  const std::unique_ptr<FT_LibraryRec_, LibraryCloser> library(raw_library);
  if (FT_New_Memory_Face(raw_library, glenhaze_caption_type,
                         static_cast<FT_Long>(glenhaze_caption_type_end - glenhaze_caption_type), 0,
                         &raw_face) != 0)
    throw Error(ErrorKind::BadRequest, "The caption's type cannot be read", "", "", "");
  const std::unique_ptr<FT_FaceRec_, FaceCloser> face(raw_face);
  FT_Set_Pixel_Sizes(raw_face, 0, static_cast<FT_UInt>(px));
  const int room = px / 2, line = px + px / 3, base = room / 2 + px;
  height_ = line + room;
  const std::vector<uint32_t> points = codePoints(utf8);
  int length = 0;
  for (const uint32_t point : points)
    if (FT_Get_Char_Index(raw_face, point) != 0 && FT_Load_Char(raw_face, point, FT_LOAD_DEFAULT) == 0)
      length += static_cast<int>(raw_face->glyph->advance.x >> 6);
  width_ = length + 2 * room;
  ink_.assign(static_cast<size_t>(width_) * static_cast<size_t>(height_), 0);
  int pen = room;
  for (const uint32_t point : points) {
    if (FT_Get_Char_Index(raw_face, point) == 0 || FT_Load_Char(raw_face, point, FT_LOAD_RENDER) != 0)
      continue;
    const FT_GlyphSlot glyph = raw_face->glyph;
    for (unsigned row = 0; row < glyph->bitmap.rows; ++row)
      for (unsigned column = 0; column < glyph->bitmap.width; ++column) {
        const int x = pen + glyph->bitmap_left + static_cast<int>(column);
        const int y = base - glyph->bitmap_top + static_cast<int>(row);
        if (x < 0 || x >= width_ || y < 0 || y >= height_) continue;
        uint8_t& ink = ink_[static_cast<size_t>(y) * static_cast<size_t>(width_) + static_cast<size_t>(x)];
        ink = std::max(ink, glyph->bitmap.buffer[row * static_cast<unsigned>(glyph->bitmap.pitch) + column]);
      }
    pen += static_cast<int>(glyph->advance.x >> 6);
  }
}

namespace {

// One plane: towards black by the ground, then towards white by the ink.
template <typename T>
void blend(Plane& plane, double black, double white, const std::vector<uint8_t>& ink, int width, int height,
           int x0, int y0, int shift_x, int shift_y) {
  for (int y = std::max(0, y0 >> shift_y); y < std::min(plane.height, (y0 + height) >> shift_y); ++y)
    for (int x = std::max(0, x0 >> shift_x); x < std::min(plane.width, (x0 + width) >> shift_x); ++x) {
      const int column = (x << shift_x) - x0, row = (y << shift_y) - y0;
      if (column < 0 || row < 0 || column >= width || row >= height) continue;
      const double share =
          ink[static_cast<size_t>(row) * static_cast<size_t>(width) + static_cast<size_t>(column)] / 255.0;
      const double under = black + (plane.row<T>(y)[x] - black) * (1 - kGround);
      plane.row<T>(y)[x] = static_cast<T>(std::lround(under + (white - under) * share));
    }
}

}  // namespace

void Caption::draw(Frame& frame, int x, int y) const {
  const double top = frame.format.maxValue();
  const bool rgb = frame.colour.matrix == 0;
  const double white = rgb || frame.colour.full_range ? top : top * 235 / 255;
  for (int p = 0; p < frame.format.numPlanes(); ++p) {
    const double black = blackValue(frame.format, frame.colour, p);
    // Of chroma both black and white are the middle.
    const double light = p == 0 || rgb ? white : black;
    const int sx = p == 0 ? 0 : frame.format.shiftX(), sy = p == 0 ? 0 : frame.format.shiftY();
    Plane& plane = frame.planes[static_cast<size_t>(p)];
    if (frame.format.bytesPerSample() == 1)
      blend<uint8_t>(plane, black, light, ink_, width_, height_, x, y, sx, sy);
    else
      blend<uint16_t>(plane, black, light, ink_, width_, height_, x, y, sx, sy);
  }
}

}  // namespace glenhaze
