#include "core/frame/rgb.h"

extern "C" {
#include <libavutil/pixfmt.h>
#include <libswscale/swscale.h>
}

#include <array>
#include <memory>

#include "core/base/error.h"
#include "core/frame/av_format.h"

namespace glenhaze {

namespace {

using Scaler = std::unique_ptr<SwsContext, decltype(&sws_freeContext)>;

int swsMatrix(int h273_matrix, int height) {
  switch (h273_matrix) {
    case 1: return SWS_CS_ITU709;
    case 5:
    case 6: return SWS_CS_ITU601;
    case 7: return SWS_CS_SMPTE240M;
    case 9:
    case 10: return SWS_CS_BT2020;
    default: return height >= 720 ? SWS_CS_ITU709 : SWS_CS_ITU601;
  }
}

struct Side {
  int width, height, av_format;
  bool full_range;
};

Scaler makeScaler(const Side& from, const Side& to, int matrix, int flags) {
  Scaler scaler(sws_getContext(from.width, from.height, static_cast<AVPixelFormat>(from.av_format), to.width,
                               to.height, static_cast<AVPixelFormat>(to.av_format), flags, nullptr, nullptr,
                               nullptr),
                sws_freeContext);
  if (!scaler)
    throw Error(ErrorKind::BadRequest, "Cannot convert a frame for the screen", "", "unsupported pixel format",
                "");
  const int* table = sws_getCoefficients(matrix);
  sws_setColorspaceDetails(scaler.get(), table, from.full_range ? 1 : 0, table, to.full_range ? 1 : 0, 0,
                           1 << 16, 1 << 16);
  return scaler;
}

}  // namespace

ScreenPicture toScreen(const Frame& frame, int width, int height, ScreenScaling scaling) {
  ScreenPicture out;
  out.width = width;
  out.height = height;
  out.bgrx.resize(static_cast<size_t>(width) * static_cast<size_t>(height) * 4);
  const bool full = frame.colour.full_range || frame.colour.matrix == 0;
  const int flags =
      (scaling == ScreenScaling::Area && width < frame.width ? SWS_AREA : SWS_BILINEAR) | SWS_ACCURATE_RND;
  auto scaler = makeScaler({frame.width, frame.height, avPixelFormat(frame.format, frame.colour), full},
                           {width, height, AV_PIX_FMT_BGR0, true}, swsMatrix(frame.colour.matrix, frame.height),
                           flags);
  std::array<const uint8_t*, 4> source{};
  std::array<int, 4> strides{};
  for (size_t p = 0; p < static_cast<size_t>(frame.format.numPlanes()); ++p) {
    source[p] = frame.planes[p].row<uint8_t>(0);
    strides[p] = static_cast<int>(frame.planes[p].stride);
  }
  std::array<uint8_t*, 4> target{out.bgrx.data()};
  std::array<int, 4> target_strides{width * 4};
  sws_scale(scaler.get(), source.data(), strides.data(), 0, frame.height, target.data(), target_strides.data());
  return out;
}

std::vector<uint8_t> luma8(const Frame& frame) {
  std::vector<uint8_t> out(static_cast<size_t>(frame.width) * static_cast<size_t>(frame.height));
  const int down = frame.format.bit_depth - 8;
  const auto width = static_cast<size_t>(frame.width);
  for (int y = 0; y < frame.height; ++y) {
    uint8_t* to = out.data() + static_cast<size_t>(y) * width;
    if (down == 0) {
      const auto* from = frame.planes[0].row<uint8_t>(y);
      std::copy(from, from + width, to);
    } else {
      const auto* from = frame.planes[0].row<uint16_t>(y);
      for (size_t x = 0; x < width; ++x) to[x] = static_cast<uint8_t>(from[x] >> down);
    }
  }
  return out;
}

Frame fromRgb(const std::vector<uint8_t>& rgb, int width, int height, PixelFormat format, ColourTags colour) {
  Frame frame = makeFrame(width, height, format);
  frame.colour = colour;
  auto scaler = makeScaler({width, height, AV_PIX_FMT_RGB24, true},
                           {width, height, avPixelFormat(format, colour), colour.full_range},
                           swsMatrix(colour.matrix, height), SWS_BICUBIC | SWS_ACCURATE_RND);
  std::array<const uint8_t*, 4> source{rgb.data()};
  std::array<int, 4> strides{width * 3};
  std::array<uint8_t*, 4> target{};
  std::array<int, 4> target_strides{};
  for (size_t p = 0; p < static_cast<size_t>(format.numPlanes()); ++p) {
    target[p] = frame.planes[p].row<uint8_t>(0);
    target_strides[p] = static_cast<int>(frame.planes[p].stride);
  }
  sws_scale(scaler.get(), source.data(), strides.data(), 0, height, target.data(), target_strides.data());
  return frame;
}

}  // namespace glenhaze
