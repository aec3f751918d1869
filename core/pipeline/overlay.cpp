#include "core/pipeline/overlay.h"

#include <array>
#include <cmath>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/frame/primaries.h"

namespace glenhaze {

namespace {

// Catmull-Rom's cubic, two samples to each side.
float cubic(float x) {
  x = std::abs(x);
  if (x < 1) return (1.5F * x - 2.5F) * x * x + 1;
  if (x < 2) return ((-0.5F * x + 2.5F) * x - 4) * x + 2;
  return 0;
}

constexpr int kMostTaps = 16;  // where it shrinks by four; more aliases

struct Taps {
  int first = 0, count = 0;
  std::array<float, kMostTaps> weights{};

  Taps(float at, float shrink) {
    const float wide = std::clamp(shrink, 1.0F, kMostTaps / 4.0F);
    first = static_cast<int>(std::ceil(at - 2 * wide));
    count = std::min(kMostTaps, static_cast<int>(std::floor(at + 2 * wide)) - first + 1);
    float sum = 0;
    for (int i = 0; i < count; ++i) {
      weights[static_cast<size_t>(i)] = cubic((static_cast<float>(first + i) - at) / wide);
      sum += weights[static_cast<size_t>(i)];
    }
    for (int i = 0; i < count; ++i) weights[static_cast<size_t>(i)] /= sum;
  }
};

// Transparent all around.
void sampled(const RgbaPicture& from, const Taps& across, const Taps& down, float* to) {
  std::array<float, 4> sum{};
  for (int j = 0; j < down.count; ++j) {
    const int y = down.first + j;
    if (y < 0 || y >= from.height) continue;
    const float* row = from.row(y);
    std::array<float, 4> line{};
    for (int i = 0; i < across.count; ++i) {
      const int x = across.first + i;
      if (x < 0 || x >= from.width) continue;
      for (size_t c = 0; c < 4; ++c)
        line[c] += across.weights[static_cast<size_t>(i)] * row[4 * static_cast<size_t>(x) + c];
    }
    for (size_t c = 0; c < 4; ++c) sum[c] += down.weights[static_cast<size_t>(j)] * line[c];
  }
  // The cubic swings a little beyond what it passes through.
  for (size_t c = 0; c < 3; ++c) to[c] = std::max(0.0F, sum[c]);
  to[3] = std::clamp(sum[3], 0.0F, 1.0F);
}

Frame whiteLike(const Frame& frame) {
  Frame white = makeFrame(frame.width, frame.height, {Chroma::Mono, 16});
  white.colour.full_range = true;
  for (int y = 0; y < frame.height; ++y)
    std::fill_n(white.planes[0].row<uint16_t>(y), frame.width, static_cast<uint16_t>(65535));
  return white;
}

// Packed R′G′B′ from 0 to 1 of a picture in 16 bit, its chroma as fine as its luma.
void toRgb(const Frame& frame, const PrimaryCodes& codes, int y, float* to) {
  const bool rgb = frame.colour.matrix == 0, grey = frame.format.numPlanes() == 1;
  const bool full = frame.colour.full_range;
  // Of 8-bit codes: full range counts to 65535, limited range is shifted up by 8 bits.
  const float unit = full ? 255.0F / 65535 : 1.0F / 256;
  const float black = full ? 0 : 16, range = full ? 255 : 219;
  for (int x = 0; x < frame.width; ++x, to += 4) {
    std::array<float, 3> v{};
    for (size_t p = 0; p < 3; ++p)
      v[p] = unit * static_cast<float>(frame.planes[grey ? 0 : p].row<uint16_t>(y)[x]);
    const std::array<float, 3> c = rgb    ? std::array<float, 3>{v[2], v[0], v[1]}
                                   : grey ? v
                                          : codes.of(v[0], v[1], v[2]);
    for (size_t i = 0; i < 3; ++i) to[i] = std::clamp((c[i] - black) / range, 0.0F, 1.0F);
  }
}

}  // namespace

Placing straightOf(const Lens& lens) {
  auto map = std::make_shared<LensMap>(lens);
  return [map](Point p) { return map->undistort(p); };
}

Placing filmedOf(const Lens& lens) {
  auto map = std::make_shared<LensMap>(lens);
  return [map](Point p) { return map->distort(p); };
}

Point roomAround(PictureSize roomy, PictureSize inner) {
  return {(roomy.width - inner.width) / 2.0, (roomy.height - inner.height) / 2.0};
}

RgbaPicture redone(const RgbaPicture& overlay, PictureSize filmed, PictureSize straight,
                   const Placing& to_straight) {
  if (overlay.width < straight.width || overlay.height < straight.height)
    throw Error(ErrorKind::BadRequest, "The overlay is smaller than the corrected picture that it lies on",
                "",
                std::to_string(overlay.width) + " × " + std::to_string(overlay.height) + " instead of " +
                    std::to_string(straight.width) + " × " + std::to_string(straight.height) + " or more",
                "Draw it on a plate of that size, with room at the edges where it has to reach further");
  const PictureSize size{overlay.width, overlay.height};
  const Point corner = roomAround(size, straight);
  const WarpGrid grid(
      filmed, size,
      [&](Point p) -> std::optional<Point> {
        const auto at = to_straight(p);
        return at ? std::optional(*at + corner) : std::nullopt;
      },
      WarpGrid::Care::Sampled);
  RgbaPicture out(filmed.width, filmed.height);
  const WarpGrid::PlaneShape from{{}, size.width, size.height}, to{{}, filmed.width, filmed.height};
  parallelBlocks(filmed.height, 16, [&](int first, int last) {
    WarpGrid::RowPositions at;
    for (int y = first; y < last; ++y) {
      grid.placeRow(y, to, from, kMostTaps, at);
      for (const WarpGrid::Stretch& s : at.stretches) {
        if (s.cell->blank) continue;
        const float across = std::exp2(s.cell->shrink_x), down = std::exp2(s.cell->shrink_y);
        for (int x = s.first; x < s.end; ++x) {
          const auto i = static_cast<size_t>(x);
          if (at.xs[i] <= WarpGrid::kNowhere) continue;
          sampled(overlay, Taps(at.xs[i], across), Taps(at.ys[i], down), out.row(y) + 4 * i);
        }
      }
    }
  });
  return out;
}

RgbaPicture plateOf(const Frame& filmed, PictureSize roomy, PictureSize straight, const Placing& to_filmed) {
  const Point corner = roomAround(roomy, straight);
  const WarpGrid grid(roomy, {filmed.width, filmed.height}, [&](Point p) { return to_filmed(p - corner); });
  const PixelFormat fine{filmed.format.numPlanes() == 1 ? Chroma::Mono : Chroma::C444, 16};
  const Frame picture = warpFrame(filmed, grid, fine);
  // What is filmed is all white: the same edges, between black and white.
  const Frame covered = warpFrame(whiteLike(filmed), grid, {Chroma::Mono, 16});
  const PrimaryCodes codes(filmed.colour, filmed.height);
  RgbaPicture out(roomy.width, roomy.height);
  parallelBlocks(roomy.height, 16, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      toRgb(picture, codes, y, out.row(y));
      const auto* alpha = covered.planes[0].row<uint16_t>(y);
      // Colours are those of the picture over black: multiplied already.
      for (int x = 0; x < roomy.width; ++x) out.row(y)[4 * x + 3] = static_cast<float>(alpha[x]) / 65535;
    }
  });
  return out;
}

}  // namespace glenhaze
