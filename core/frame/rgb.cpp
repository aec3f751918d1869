#include "core/frame/rgb.h"

extern "C" {
#include <libavutil/pixfmt.h>
#include <libswscale/swscale.h>
}

#include <algorithm>
#include <array>
#include <cmath>
#include <cstring>
#include <memory>
#include <utility>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/frame/av_format.h"
#include "core/frame/primaries.h"
#include "core/frame/tone.h"

namespace glenhaze {

namespace {

using Scaler = std::unique_ptr<SwsContext, decltype(&sws_freeContext)>;

int swsMatrix(int h273_matrix, int height) {
  switch (h273_matrix) {
    case 1:
      return SWS_CS_ITU709;
    case 5:
    case 6:
      return SWS_CS_ITU601;
    case 7:
      return SWS_CS_SMPTE240M;
    case 9:
    case 10:
      return SWS_CS_BT2020;
    default:
      return height >= 720 ? SWS_CS_ITU709 : SWS_CS_ITU601;
  }
}

struct Side {
  int width, height, av_format;
  bool full_range;
};

Scaler makeScaler(const Side& from, const Side& to, int matrix, int flags) {
  Scaler scaler(
      sws_getContext(from.width, from.height, static_cast<AVPixelFormat>(from.av_format), to.width, to.height,
                     static_cast<AVPixelFormat>(to.av_format), flags, nullptr, nullptr, nullptr),
      sws_freeContext);
  if (!scaler)
    throw Error(ErrorKind::BadRequest, "Cannot convert a frame for the screen", "",
                "unsupported pixel format", "");
  const int* table = sws_getCoefficients(matrix);
  sws_setColorspaceDetails(scaler.get(), table, from.full_range ? 1 : 0, table, to.full_range ? 1 : 0, 0,
                           1 << 16, 1 << 16);
  return scaler;
}

// ---- the same size, eight to sixteen bit: the way every preview goes, so it has a loop of its own ----

template <typename T>
void widen(const T* from, float gain, float offset, int count, float* to) {
  for (int x = 0; x < count; ++x) to[x] = (static_cast<float>(from[x]) - offset) * gain;
}

// One row of chroma at luma's width: between two rows of chroma, then between neighbours of the row.
template <typename T>
void chromaRow(const Plane& plane, const PixelFormat& format, ChromaSiting siting, int y, float gain,
               float mid, std::vector<float>& small, float* to, int width) {
  const int n = plane.width;
  if (format.shiftY() == 1) {
    const float at = (static_cast<float>(y) - (siting == ChromaSiting::TopLeft ? 0.0F : 0.5F)) / 2;
    const int upper = static_cast<int>(std::floor(at));
    const float share = at - static_cast<float>(upper);
    const T* a = plane.row<T>(std::clamp(upper, 0, plane.height - 1));
    const T* b = plane.row<T>(std::clamp(upper + 1, 0, plane.height - 1));
    for (int x = 0; x < n; ++x)
      small[static_cast<size_t>(x)] =
          ((static_cast<float>(a[x]) - mid) * (1 - share) + (static_cast<float>(b[x]) - mid) * share) * gain;
  } else {
    widen(plane.row<T>(y), gain, mid, n, small.data());
  }
  if (format.shiftX() == 0) {
    std::copy_n(small.data(), width, to);
    return;
  }
  // small[n] repeats the last sample for the neighbour on the right, small[-1] stands for the first.
  small[static_cast<size_t>(n)] = small[static_cast<size_t>(n - 1)];
  const float* s = small.data();
  const bool centred = siting == ChromaSiting::Center;
  for (int x = 0; x < width / 2; ++x) {
    to[2 * x] = centred ? s[std::max(x - 1, 0)] * 0.25F + s[x] * 0.75F : s[x];
    to[2 * x + 1] = centred ? s[x] * 0.75F + s[x + 1] * 0.25F : (s[x] + s[x + 1]) * 0.5F;
  }
  if (width % 2 != 0) to[width - 1] = s[n - 1];
}

template <typename T>
void screenRows(const Frame& frame, int first, int last, uint8_t* bgrx) {
  const int width = frame.width;
  const bool full = frame.colour.full_range;
  const bool colour = frame.format.numPlanes() == 3;
  const float step = static_cast<float>(1 << (frame.format.bit_depth - 8));
  const float top = static_cast<float>(frame.format.maxValue());
  const float black = full ? 0.0F : 16.0F * step;
  const float gain = full ? 255.0F / top : 255.0F / (219.0F * step);
  const float chroma_gain = full ? 255.0F / top : 255.0F / (224.0F * step);
  const float mid = 128.0F * step;
  const LumaWeights weights = lumaWeights(frame.colour.matrix, frame.height);
  const float kr = weights.red, kb = weights.blue, kg = weights.green();
  const float rv = 2 * (1 - kr), bu = 2 * (1 - kb), gu = -bu * kb / kg, gv = -rv * kr / kg;
  const auto n = static_cast<size_t>(width);
  std::vector<float> luma(n), cb(n + 1, 0.0F), cr(n + 1, 0.0F), small(n + 2);
  for (int y = first; y < last; ++y) {
    widen(frame.planes[0].row<T>(y), gain, black, width, luma.data());
    if (colour) {
      chromaRow<T>(frame.planes[1], frame.format, frame.colour.siting, y, chroma_gain, mid, small, cb.data(),
                   width);
      chromaRow<T>(frame.planes[2], frame.format, frame.colour.siting, y, chroma_gain, mid, small, cr.data(),
                   width);
    }
    auto* to = bgrx + static_cast<size_t>(y) * n * 4;
    const float *l = luma.data(), *u = cb.data(), *v = cr.data();
    for (int x = 0; x < width; ++x) {
      const auto code = [](float value) {
        return static_cast<uint32_t>(static_cast<int32_t>(std::min(std::max(value + 0.5F, 0.0F), 255.0F)));
      };
      const uint32_t packed = 0xFF000000U | code(l[x] + rv * v[x]) << 16U |
                              code(l[x] + gu * u[x] + gv * v[x]) << 8U | code(l[x] + bu * u[x]);
      std::memcpy(to + 4 * x, &packed, 4);
    }
  }
}

ScreenPicture sameSizeScreen(const Frame& frame) {
  ScreenPicture out;
  out.width = frame.width;
  out.height = frame.height;
  out.bgrx.resize(static_cast<size_t>(frame.width) * static_cast<size_t>(frame.height) * 4);
  parallelBlocks(frame.height, 32, [&](int first, int last) {
    if (frame.format.bit_depth > 8)
      screenRows<uint16_t>(frame, first, last, out.bgrx.data());
    else
      screenRows<uint8_t>(frame, first, last, out.bgrx.data());
  });
  return out;
}

}  // namespace

ScreenPicture toScreen(const Frame& frame, int width, int height, ScreenScaling scaling) {
  if (width == frame.width && height == frame.height && frame.colour.matrix != 0)
    return sameSizeScreen(frame);
  ScreenPicture out;
  out.width = width;
  out.height = height;
  out.bgrx.resize(static_cast<size_t>(width) * static_cast<size_t>(height) * 4);
  const bool full = frame.colour.full_range || frame.colour.matrix == 0;
  const int flags =
      (scaling == ScreenScaling::Area && width < frame.width ? SWS_AREA : SWS_BILINEAR) | SWS_ACCURATE_RND;
  auto scaler =
      makeScaler({frame.width, frame.height, avPixelFormat(frame.format, frame.colour), full},
                 {width, height, AV_PIX_FMT_BGR0, true}, swsMatrix(frame.colour.matrix, frame.height), flags);
  std::array<const uint8_t*, 4> source{};
  std::array<int, 4> strides{};
  for (size_t p = 0; p < static_cast<size_t>(frame.format.numPlanes()); ++p) {
    source[p] = frame.planes[p].row<uint8_t>(0);
    strides[p] = static_cast<int>(frame.planes[p].stride);
  }
  std::array<uint8_t*, 4> target{out.bgrx.data()};
  std::array<int, 4> target_strides{width * 4};
  sws_scale(scaler.get(), source.data(), strides.data(), 0, frame.height, target.data(),
            target_strides.data());
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

std::array<uint8_t, 256> liftedScreenValues(double stops) {
  constexpr int kSrgb = 13;
  const ToneCurve tone = toneCurveOf(kSrgb);
  std::array<uint8_t, 256> table{};
  for (size_t i = 0; i < table.size(); ++i) {
    const double up = tone.toCode(tone.toLight(static_cast<double>(i) / 255) * std::exp2(stops));
    table[i] = static_cast<uint8_t>(std::lround(255 * std::clamp(up, 0.0, 1.0)));
  }
  return table;
}

}  // namespace glenhaze
