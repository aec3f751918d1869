#include "core/frame/turn.h"

#include <utility>

#include "core/base/parallel.h"

namespace glenhaze {

namespace {

Chroma turnedChroma(Chroma chroma) {
  if (chroma == Chroma::C422) return Chroma::C440;
  if (chroma == Chroma::C440) return Chroma::C422;
  return chroma;
}

template <typename T>
void turnRows(const Plane& from, Plane& to, int degrees, bool mirrored, int first, int last) {
  for (int y = first; y < last; ++y) {
    T* out = to.row<T>(y);
    for (int i = 0; i < to.width; ++i) {
      const int x = mirrored ? to.width - 1 - i : i;  // in the picture that is not swapped yet
      if (degrees == 90)
        out[i] = from.row<T>(from.height - 1 - x)[y];
      else if (degrees == 180)
        out[i] = from.row<T>(from.height - 1 - y)[from.width - 1 - x];
      else if (degrees == 270)
        out[i] = from.row<T>(x)[from.width - 1 - y];
      else
        out[i] = from.row<T>(y)[x];
    }
  }
}

}  // namespace

Frame turnedFrame(const Frame& frame, int degrees, bool mirrored) {
  degrees %= 360;
  if (degrees == 0 && !mirrored) return frame;
  const bool quarter = degrees % 180 != 0;
  PixelFormat format = frame.format;
  if (quarter) format.chroma = turnedChroma(format.chroma);
  Frame out = makeFrame(quarter ? frame.height : frame.width, quarter ? frame.width : frame.height, format);
  std::array<Plane, 3> planes = std::move(out.planes);
  const int width = out.width, height = out.height;
  out = frame;
  out.planes = std::move(planes);
  out.format = format;
  out.width = width;
  out.height = height;
  if (quarter) out.sample_aspect = {frame.sample_aspect.den, frame.sample_aspect.num};
  if (frame.colour.siting != ChromaSiting::Center && format.chroma != Chroma::C444)
    out.colour.siting = ChromaSiting::Center;
  for (size_t p = 0; p < static_cast<size_t>(format.numPlanes()); ++p)
    parallelBlocks(out.planes[p].height, 64, [&](int first, int last) {
      if (format.bytesPerSample() == 1)
        turnRows<uint8_t>(frame.planes[p], out.planes[p], degrees, mirrored, first, last);
      else
        turnRows<uint16_t>(frame.planes[p], out.planes[p], degrees, mirrored, first, last);
    });
  return out;
}

}  // namespace glenhaze
