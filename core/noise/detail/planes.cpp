#include "core/noise/detail/planes.h"

#include <algorithm>
#include <cstring>

#include "core/base/parallel.h"
#include "core/noise/detail/row_kernel.h"

namespace glenhaze::detail {

namespace {

constexpr int kGrain = 16;

template <typename T>
void repeatEdges(Bordered<T>& plane) {
  parallelBlocks(plane.height, kGrain, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      T* row = plane.row(y);
      std::fill(row - kBorder, row, row[0]);
      std::fill(row + plane.width, row - kBorder + plane.stride, row[plane.width - 1]);
    }
  });
  const auto bytes = static_cast<size_t>(plane.stride) * sizeof(T);
  for (int y = 1; y <= kBorder; ++y) {
    std::memcpy(plane.row(-y) - kBorder, plane.row(0) - kBorder, bytes);
    std::memcpy(plane.row(plane.height - 1 + y) - kBorder, plane.row(plane.height - 1) - kBorder, bytes);
  }
}

template <typename T>
void widenRows(const Plane& from, float gain, FloatPlane& to) {
  parallelBlocks(to.height, kGrain, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const T* in = from.row<T>(y);
      float* out = to.row(y);
      for (int x = 0; x < to.width; ++x) out[x] = static_cast<float>(in[x]) * gain;
    }
  });
}

template <typename T>
void shiftRows(const Plane& from, int up, SamplePlane& to) {
  parallelBlocks(to.height, kGrain, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const T* in = from.row<T>(y);
      int16_t* out = to.row(y);
      if (up >= 0)
        for (int x = 0; x < to.width; ++x) out[x] = static_cast<int16_t>(in[x] << up);
      else
        for (int x = 0; x < to.width; ++x)
          out[x] = static_cast<int16_t>(std::min((in[x] + (1 << (-up - 1))) >> -up, (1 << 14) - 1));
    }
  });
}

template <typename T>
void narrowRows(const FloatPlane& from, float gain, float top, Plane& to) {
  parallelBlocks(to.height, kGrain, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const float* in = from.row(y);
      T* out = to.row<T>(y);
      for (int x = 0; x < to.width; ++x)
        out[x] = static_cast<T>(static_cast<int>(std::min(std::max(in[x] * gain, 0.0F), top) + 0.5F));
    }
  });
}

float codesPerUnit(const PixelFormat& format) { return static_cast<float>(1 << (format.bit_depth - 8)); }

}  // namespace

void fillBorder(SamplePlane& plane) { repeatEdges(plane); }

FloatPlane floatPlane(const Frame& frame, int index) {
  const Plane& from = frame.planes[static_cast<size_t>(index)];
  FloatPlane to(from.width, from.height);
  const float gain = 1.0F / codesPerUnit(frame.format);
  if (frame.format.bytesPerSample() == 1)
    widenRows<uint8_t>(from, gain, to);
  else
    widenRows<uint16_t>(from, gain, to);
  repeatEdges(to);
  return to;
}

SamplePlane samplePlane(const Frame& frame, int index) {
  SamplePlane to;
  toSamples(frame, index, to);
  return to;
}

void toSamples(const Frame& frame, int index, SamplePlane& to) {
  const Plane& from = frame.planes[static_cast<size_t>(index)];
  to.reshape(from.width, from.height);
  const int up = 14 - frame.format.bit_depth;
  if (frame.format.bytesPerSample() == 1)
    shiftRows<uint8_t>(from, up, to);
  else
    shiftRows<uint16_t>(from, up, to);
  repeatEdges(to);
}

bool sameSamples(const SamplePlane& a, const SamplePlane& b) {
  const size_t bytes = static_cast<size_t>(a.width) * sizeof(int16_t);
  for (int y = 0; y < a.height; ++y)
    if (std::memcmp(a.row(y), b.row(y), bytes) != 0) return false;
  return true;
}

void soften(const SamplePlane& plane, SamplePlane& to) {
  to.reshape(plane.width, plane.height);
  parallelBlocks(plane.height, kGrain, [&](int first, int last) {
    std::vector<uint16_t> scratch(static_cast<size_t>(plane.width) + 2);
    for (int y = first; y < last; ++y)
      softenRow(plane.row(y - 1), plane.row(y), plane.row(y + 1), plane.width, scratch.data(), to.row(y));
  });
  repeatEdges(to);
}

void makePyramid(const SamplePlane& luma, int levels, std::vector<BytePlane>& pyramid) {
  pyramid.resize(static_cast<size_t>(levels));
  BytePlane& full = pyramid.front();
  full.reshape(luma.width, luma.height);
  parallelBlocks(luma.height, kGrain, [&](int first, int last) {
    for (int y = first; y < last; ++y) roundRow(luma.row(y), luma.width, full.row(y));
  });
  repeatEdges(full);
  for (size_t level = 1; level < pyramid.size(); ++level) {
    const BytePlane& fine = pyramid[level - 1];
    // Pictures too small to halve again end the pyramid.
    if (fine.width < 64 || fine.height < 64) {
      pyramid.resize(level);
      break;
    }
    BytePlane& coarse = pyramid[level];
    coarse.reshape(fine.width / 2, fine.height / 2);
    parallelBlocks(coarse.height, kGrain, [&](int first, int last) {
      for (int y = first; y < last; ++y)
        halveRows(fine.row(2 * y), fine.row(2 * y + 1), coarse.width, coarse.row(y));
    });
    repeatEdges(coarse);
  }
}

void storePlane(const FloatPlane& plane, Frame& frame, int index) {
  Plane& to = frame.planes[static_cast<size_t>(index)];
  const float gain = codesPerUnit(frame.format);
  const auto top = static_cast<float>(frame.format.maxValue());
  if (frame.format.bytesPerSample() == 1)
    narrowRows<uint8_t>(plane, gain, top, to);
  else
    narrowRows<uint16_t>(plane, gain, top, to);
}

}  // namespace glenhaze::detail
