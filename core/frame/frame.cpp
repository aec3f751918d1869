#include "core/frame/frame.h"

#include <cassert>
#include <cstring>

#include "core/frame/picture_memory.h"

namespace glenhaze {

namespace {

Plane makePlane(int width, int height, int bytes_per_sample) {
  constexpr ptrdiff_t kAlign = 64;
  Plane plane;
  plane.width = width;
  plane.height = height;
  plane.stride = (static_cast<ptrdiff_t>(width) * bytes_per_sample + kAlign - 1) / kAlign * kAlign;
  plane.owner = pictureMemory(static_cast<size_t>(plane.stride) * static_cast<size_t>(height));
  plane.data = static_cast<std::byte*>(plane.owner.get());
  return plane;
}

}  // namespace

Frame makeFrame(int width, int height, PixelFormat format) {
  assert(width > 0 && height > 0);
  Frame frame;
  frame.width = width;
  frame.height = height;
  frame.format = format;
  const int chroma_width = (width + (1 << format.shiftX()) - 1) >> format.shiftX();
  const int chroma_height = (height + (1 << format.shiftY()) - 1) >> format.shiftY();
  frame.planes[0] = makePlane(width, height, format.bytesPerSample());
  for (size_t p = 1; p < static_cast<size_t>(format.numPlanes()); ++p)
    frame.planes[p] = makePlane(chroma_width, chroma_height, format.bytesPerSample());
  return frame;
}

Frame makeFrameLike(const Frame& like, int width, int height) {
  Frame frame = makeFrame(width, height, like.format);
  const auto planes = frame.planes;
  frame = like;
  frame.width = width;
  frame.height = height;
  frame.planes = planes;
  return frame;
}

Frame cloneFrame(const Frame& source) {
  Frame copy = makeFrameLike(source, source.width, source.height);
  for (size_t p = 0; p < static_cast<size_t>(source.format.numPlanes()); ++p) {
    const Plane& from = source.planes[p];
    Plane& to = copy.planes[p];
    const auto bytes = static_cast<size_t>(from.width * source.format.bytesPerSample());
    for (int y = 0; y < from.height; ++y) std::memcpy(to.row<uint8_t>(y), from.row<uint8_t>(y), bytes);
  }
  return copy;
}

int blackValue(const PixelFormat& format, const ColourTags& colour, int plane) {
  const int up = format.bit_depth - 8;
  if (colour.matrix == 0) return 0;
  if (plane > 0) return 128 << up;
  return colour.full_range ? 0 : 16 << up;
}

bool sameSamples(const Frame& a, const Frame& b) {
  if (a.width != b.width || a.height != b.height || !(a.format == b.format)) return false;
  for (size_t p = 0; p < static_cast<size_t>(a.format.numPlanes()); ++p) {
    const auto bytes = static_cast<size_t>(a.planes[p].width * a.format.bytesPerSample());
    for (int y = 0; y < a.planes[p].height; ++y)
      if (std::memcmp(a.planes[p].row<uint8_t>(y), b.planes[p].row<uint8_t>(y), bytes) != 0) return false;
  }
  return true;
}

}  // namespace glenhaze
