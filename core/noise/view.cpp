#include "core/noise/view.h"

#include <algorithm>
#include <vector>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/noise/detail/planes.h"

namespace glenhaze {

namespace {

constexpr int kGrain = 16;
constexpr int kSlow = 12;  // half width of the mean that is taken away

// Running mean over 2·kSlow + 1 samples along rows, then along columns.
detail::FloatPlane slowPart(const detail::FloatPlane& in) {
  constexpr float kShare = 1.0F / (2 * kSlow + 1);
  detail::FloatPlane across(in.width, in.height), out(in.width, in.height);
  parallelBlocks(in.height, kGrain, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const float* from = in.row(y);
      float* to = across.row(y);
      double sum = 0;
      for (int x = -kSlow; x < kSlow; ++x) sum += static_cast<double>(from[x]);
      for (int x = 0; x < in.width; ++x) {
        sum += static_cast<double>(from[x + kSlow]);
        to[x] = static_cast<float>(sum) * kShare;
        sum -= static_cast<double>(from[x - kSlow]);
      }
    }
  });
  parallelBlocks(in.width, 64, [&](int first, int last) {
    std::vector<double> sum(static_cast<size_t>(last - first), 0.0);
    const auto at = [&](int y) { return across.row(std::clamp(y, 0, in.height - 1)); };
    for (int y = -kSlow; y < kSlow; ++y)
      for (int x = first; x < last; ++x) sum[static_cast<size_t>(x - first)] += static_cast<double>(at(y)[x]);
    for (int y = 0; y < in.height; ++y) {
      const float *enters = at(y + kSlow), *leaves = at(y - kSlow);
      float* to = out.row(y);
      for (int x = first; x < last; ++x) {
        double& s = sum[static_cast<size_t>(x - first)];
        s += static_cast<double>(enters[x]);
        to[x] = static_cast<float>(s) * kShare;
        s -= static_cast<double>(leaves[x]);
      }
    }
  });
  return out;
}

}  // namespace

Frame channelDetail(const Frame& frame, int channel, double gain) {
  const int plane = std::clamp(channel, 0, frame.format.numPlanes() - 1);
  const detail::FloatPlane values = detail::floatPlane(frame, plane), slow = slowPart(values);
  Frame out = makeFrame(frame.width, frame.height, {Chroma::Mono, 8});
  out.colour = {1, 1, 1, true, ChromaSiting::Left};
  out.index = frame.index;
  const int sx = plane == 0 ? 0 : frame.format.shiftX(), sy = plane == 0 ? 0 : frame.format.shiftY();
  const auto by = static_cast<float>(gain);
  parallelBlocks(frame.height, kGrain, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const float *v = values.row(y >> sy), *s = slow.row(y >> sy);
      auto* to = out.planes[0].row<uint8_t>(y);
      for (int x = 0; x < frame.width; ++x)
        to[x] =
            static_cast<uint8_t>(std::clamp(128.0F + by * (v[x >> sx] - s[x >> sx]), 0.0F, 255.0F) + 0.5F);
    }
  });
  return out;
}

Frame removedPart(const Frame& before, const Frame& after, double gain) {
  if (before.width != after.width || before.height != after.height || !(before.format == after.format))
    throw Error(ErrorKind::BadRequest, "These frames cannot be compared", "", "they differ in size or format",
                "");
  Frame out = makeFrameLike(before, before.width, before.height);
  for (int p = 0; p < before.format.numPlanes(); ++p) {
    const detail::FloatPlane a = detail::floatPlane(before, p), b = detail::floatPlane(after, p);
    detail::FloatPlane difference(a.width, a.height);
    const auto by = static_cast<float>(gain);
    const float middle = p > 0 ? 128.0F : before.colour.full_range ? 128.0F : 126.0F;
    parallelBlocks(a.height, kGrain, [&](int first, int last) {
      for (int y = first; y < last; ++y)
        for (int x = 0; x < a.width; ++x) difference.row(y)[x] = middle + by * (a.row(y)[x] - b.row(y)[x]);
    });
    detail::storePlane(difference, out, p);
  }
  return out;
}

}  // namespace glenhaze
