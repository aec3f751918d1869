#include "core/frame/reduce.h"

#include <algorithm>

#include "core/base/parallel.h"

namespace glenhaze {

namespace {

template <typename T>
void halveRows(const Plane& from, Plane& to, int first, int last) {
  for (int y = first; y < last; ++y) {
    const T* a = from.row<T>(std::min(2 * y, from.height - 1));
    const T* b = from.row<T>(std::min(2 * y + 1, from.height - 1));
    T* out = to.row<T>(y);
    const int whole = std::min(to.width, from.width / 2);
    for (int x = 0; x < whole; ++x)
      out[x] = static_cast<T>((a[2 * x] + a[2 * x + 1] + b[2 * x] + b[2 * x + 1] + 2) >> 2);
    for (int x = whole; x < to.width; ++x) out[x] = a[from.width - 1];
  }
}

}  // namespace

Frame halvedFrame(const Frame& frame) {
  Frame half = makeFrameLike(frame, std::max(1, frame.width / 2), std::max(1, frame.height / 2));
  for (size_t p = 0; p < static_cast<size_t>(frame.format.numPlanes()); ++p)
    parallelBlocks(half.planes[p].height, 64, [&](int first, int last) {
      if (frame.format.bytesPerSample() == 1)
        halveRows<uint8_t>(frame.planes[p], half.planes[p], first, last);
      else
        halveRows<uint16_t>(frame.planes[p], half.planes[p], first, last);
    });
  return half;
}

}  // namespace glenhaze
