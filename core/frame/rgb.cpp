#include "core/frame/rgb.h"

extern "C" {
#include <libavutil/pixfmt.h>
#include <libswscale/swscale.h>
}

#include <algorithm>
#include <array>
#include <cmath>
#include <memory>
#include <utility>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/base/unwritten.h"
#include "core/frame/av_format.h"
#include "core/frame/detail/screen_kernel.h"
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

// The two rows of chroma that one of luma lies between, and the share of the lower one.
struct ChromaRows {
  int upper = 0, lower = 0;
  float share = 0;
};
ChromaRows chromaRowsAt(int y, int height, const PixelFormat& format, ChromaSiting siting) {
  if (format.shiftY() == 0) return {y, y, 0};
  const float at = (static_cast<float>(y) - (siting == ChromaSiting::TopLeft ? 0.0F : 0.5F)) / 2;
  const int upper = static_cast<int>(std::floor(at));
  return {std::clamp(upper, 0, height - 1), std::clamp(upper + 1, 0, height - 1),
          at - static_cast<float>(upper)};
}

// What all rows of a frame share.
detail::ScreenRow screenRowOf(const Frame& frame) {
  const bool full = frame.colour.full_range;
  const float step = static_cast<float>(1 << (frame.format.bit_depth - 8));
  const float top = static_cast<float>(frame.format.maxValue());
  const LumaWeights weights = lumaWeights(frame.colour.matrix, frame.height);
  const float kr = weights.red, kb = weights.blue, kg = weights.green();
  detail::ScreenRow row;
  row.bytes_per_sample = frame.format.bytesPerSample();
  row.width = frame.width;
  row.chroma_width = frame.format.numPlanes() == 3 ? frame.planes[1].width : 0;
  row.halved = frame.format.shiftX() == 1;
  row.centred = frame.colour.siting == ChromaSiting::Center;
  row.black = full ? 0.0F : 16.0F * step;
  row.gain = full ? 255.0F / top : 255.0F / (219.0F * step);
  row.chroma_mid = 128.0F * step;
  row.chroma_gain = full ? 255.0F / top : 255.0F / (224.0F * step);
  row.red_v = 2 * (1 - kr);
  row.blue_u = 2 * (1 - kb);
  row.green_u = -row.blue_u * kb / kg;
  row.green_v = -row.red_v * kr / kg;
  return row;
}

// The same size: the way every preview goes, so it has a loop of its own.
ScreenPicture sameSizeScreen(const Frame& frame) {
  ScreenPicture out;
  out.width = frame.width;
  out.height = frame.height;
  out.bgrx.resize(static_cast<size_t>(frame.width) * static_cast<size_t>(frame.height) * 4);
  const detail::ScreenRow shared = screenRowOf(frame);
  parallelBlocks(frame.height, 32, [&](int first, int last) {
    Unwritten<float> scratch(static_cast<size_t>(detail::screenScratch(frame.width)));
    detail::ScreenRow row = shared;
    for (int y = first; y < last; ++y) {
      row.luma = frame.planes[0].row<uint8_t>(y);
      if (row.chroma_width > 0) {
        const ChromaRows at = chromaRowsAt(y, frame.planes[1].height, frame.format, frame.colour.siting);
        row.share = at.share;
        for (const auto& [i, from] : {std::pair{0, at.upper}, {1, at.lower}}) {
          row.cb[i] = frame.planes[1].row<uint8_t>(from);
          row.cr[i] = frame.planes[2].row<uint8_t>(from);
        }
      }
      const size_t start = static_cast<size_t>(y) * static_cast<size_t>(frame.width) * 4;
      detail::screenRow(row, scratch.data(), out.bgrx.data() + start);
    }
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
