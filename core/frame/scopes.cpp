#include "core/frame/scopes.h"

#include <algorithm>

namespace glenhaze {

Scopes scopesOf(std::span<const uint8_t> bgrx, int width, int height) {
  Scopes s;
  s.waveform.assign(static_cast<size_t>(Scopes::kColumns) * Scopes::kLevels, 0.0F);
  const auto pixels = static_cast<size_t>(width) * static_cast<size_t>(height);
  if (width <= 0 || height <= 0 || bgrx.size() < 4 * pixels) return s;
  std::array<std::array<uint32_t, 256>, 4> counts{};
  std::vector<uint32_t> wave(s.waveform.size());
  std::array<uint32_t, Scopes::kColumns> columns{};
  size_t black = 0, white = 0;
  const uint8_t* p = bgrx.data();
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x, p += 4) {
      const unsigned b = p[0], g = p[1], r = p[2];
      // BT.709's weights in 1/65536.
      const unsigned luma = (13933 * r + 46871 * g + 4732 * b + 32768) >> 16;
      ++counts[0][r];
      ++counts[1][g];
      ++counts[2][b];
      ++counts[3][luma];
      black += r == 0 || g == 0 || b == 0 ? 1 : 0;
      white += r == 255 || g == 255 || b == 255 ? 1 : 0;
      const auto column = static_cast<size_t>(static_cast<int64_t>(x) * Scopes::kColumns / width);
      ++wave[column * Scopes::kLevels + luma / (256 / Scopes::kLevels)];
      ++columns[column];
    }
  const auto share = static_cast<float>(1.0 / static_cast<double>(pixels));
  for (size_t c = 0; c < counts.size(); ++c)
    for (size_t v = 0; v < 256; ++v) s.histogram[c][v] = share * static_cast<float>(counts[c][v]);
  for (size_t i = 0; i < wave.size(); ++i) {
    const uint32_t of = columns[i / Scopes::kLevels];
    s.waveform[i] = of > 0 ? static_cast<float>(wave[i]) / static_cast<float>(of) : 0;
  }
  s.at_black = static_cast<double>(black) / static_cast<double>(pixels);
  s.at_white = static_cast<double>(white) / static_cast<double>(pixels);
  return s;
}

}  // namespace glenhaze
