#include "core/motion/detail/reduced_luma.h"

#include <algorithm>
#include <opencv2/imgproc.hpp>

namespace glenhaze::detail {

cv::Mat reducedLuma(const Frame& frame, int factor) {
  const Plane& luma = frame.planes[0];
  const int w = std::max(1, frame.width / factor), h = std::max(1, frame.height / factor);
  const bool bytes = frame.format.bytesPerSample() == 1;
  // Borrowed, not copied; OpenCV takes no const data but does not write to it.
  const cv::Mat whole(luma.height, luma.width, bytes ? CV_8U : CV_16U,
                      const_cast<uint8_t*>(luma.row<uint8_t>(0)), static_cast<size_t>(luma.stride));
  const cv::Mat used =
      whole(cv::Rect(0, 0, std::min(luma.width, w * factor), std::min(luma.height, h * factor)));
  cv::Mat out;
  if (factor > 1)
    cv::resize(used, out, {w, h}, 0, 0, cv::INTER_AREA);
  else
    out = used;
  if (!bytes)
    out.convertTo(out, CV_8U, 1.0 / (1 << (frame.format.bit_depth - 8)));
  else if (factor == 1)
    out = out.clone();
  return out;
}

}  // namespace glenhaze::detail
