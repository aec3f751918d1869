#include "simulator/photograph.h"

#include <algorithm>
#include <opencv2/imgproc.hpp>

#include "core/base/error.h"
#include "core/frame/rgb.h"
#include "core/media/clip_info.h"
#include "core/media/reader.h"

namespace glenhaze::sim {

namespace {

constexpr int kSmallest = 8;  // px: below that a level says no more than its mean

float linearFrom(float coded) {
  return coded <= 0.04045F ? coded / 12.92F : std::pow((coded + 0.055F) / 1.055F, 2.4F);
}

// Back and forth between the first and the last pixel.
int mirrored(int i, int count) {
  const int period = 2 * count;
  const int in = ((i % period) + period) % period;
  return in < count ? in : period - 1 - in;
}

}  // namespace

std::shared_ptr<const Photograph> Photograph::read(const std::filesystem::path& path) {
  const Frame frame = readFrame(probe(path), 0);
  ScreenPicture picture = toScreen(frame, frame.width, frame.height);
  const cv::Mat padded(frame.height, frame.width, CV_8UC4, picture.bgrx.data());
  cv::Mat coded, linear;
  cv::cvtColor(padded, coded, cv::COLOR_BGRA2BGR);
  coded.convertTo(linear, CV_32FC3, 1 / 255.0);
  linear.forEach<cv::Vec3f>([](cv::Vec3f& p, const int*) {
    for (int c = 0; c < 3; ++c) p[c] = linearFrom(p[c]);
  });
  auto photograph = std::make_shared<Photograph>();
  for (;;) {
    Level level{linear.cols, linear.rows, {}};
    level.pixels.reserve(linear.total());
    for (auto p = linear.begin<cv::Vec3f>(); p != linear.end<cv::Vec3f>(); ++p)
      level.pixels.push_back({(*p)[2], (*p)[1], (*p)[0]});
    photograph->levels_.push_back(std::move(level));
    if (std::min(linear.cols, linear.rows) < 2 * kSmallest) return photograph;
    cv::Mat half;
    cv::resize(linear, half, {linear.cols / 2, linear.rows / 2}, 0, 0, cv::INTER_AREA);
    linear = half;
  }
}

V3 Photograph::sampled(const Level& level, float x, float y) {
  const int x0 = wholeBelow(x), y0 = wholeBelow(y);
  const float tx = x - static_cast<float>(x0), ty = y - static_cast<float>(y0);
  const auto pixel = [&](int i, int j) {
    return level.pixels[static_cast<size_t>(mirrored(j, level.height)) * static_cast<size_t>(level.width) +
                        static_cast<size_t>(mirrored(i, level.width))];
  };
  return mix(mix(pixel(x0, y0), pixel(x0 + 1, y0), tx), mix(pixel(x0, y0 + 1), pixel(x0 + 1, y0 + 1), tx),
             ty);
}

V3 Photograph::at(float x, float y, float footprint) const {
  const float depth =
      std::clamp(std::log2(std::max(1.0F, footprint)), 0.0F, static_cast<float>(levels_.size() - 1));
  const auto fine = static_cast<size_t>(depth);
  const auto in = [&](size_t l) {
    const float sx = static_cast<float>(levels_[l].width) / static_cast<float>(width()),
                sy = static_cast<float>(levels_[l].height) / static_cast<float>(height());
    return sampled(levels_[l], (x + 0.5F) * sx - 0.5F, (y + 0.5F) * sy - 0.5F);
  };
  const V3 near = in(fine);
  return fine + 1 < levels_.size() ? mix(near, in(fine + 1), depth - static_cast<float>(fine)) : near;
}

}  // namespace glenhaze::sim
