#include "core/finish/colour.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "core/frame/tone.h"

namespace glenhaze {

namespace {

// Gains of red, green and blue in light; a grey keeps its luma.
std::array<double, 3> gainsOf(const FinishSettings& s, const LumaWeights& w) {
  std::array<double, 3> gains{std::exp2(s.warmth / 2), std::exp2(s.tint), std::exp2(-s.warmth / 2)};
  const double luma = static_cast<double>(w.red) * gains[0] + static_cast<double>(w.green()) * gains[1] +
                      static_cast<double>(w.blue) * gains[2];
  for (double& g : gains) g *= std::exp2(s.exposure) / luma;
  return gains;
}

}  // namespace

Grade::Grade(const FinishSettings& s, const ColourTags& tags, int height,
             std::shared_ptr<const LookTable> look)
    : weights_(lumaWeights(tags.matrix, height)),
      codes_(tags, height),
      black_(tags.full_range ? 0.0F : 16.0F),
      range_(tags.full_range ? 255.0F : 219.0F),
      chroma_range_(tags.full_range ? 255.0F : 224.0F),
      saturation_(static_cast<float>(s.saturation)),
      look_(std::move(look)) {
  const ToneCurve tone = toneCurveOf(tags.transfer);
  const auto gains = gainsOf(s, weights_);
  for (size_t p = 0; p < 3; ++p)
    for (int i = 0; i <= kSteps; ++i) {
      const double v = static_cast<double>(kLow) + static_cast<double>(kHigh - kLow) * i / kSteps;
      double light = tone.toLight(v) * gains[p];
      if (s.contrast != 1 && light > 0) light = tone.grey * std::pow(light / tone.grey, s.contrast);
      tables_[p][static_cast<size_t>(i)] =
          static_cast<float>((tone.toCode(light) - s.black) / (s.white - s.black));
    }
}

// Places in the tables come in, values go out.
void Grade::look(const Table& table, float* v, int count) {
  for (int x = 0; x < count; ++x) {
    float at = v[x];
    at = at > 0 ? at : 0;
    at = at < kSteps - 0.01F ? at : kSteps - 0.01F;
    const auto i = static_cast<int>(at);
    const float* t = table.data() + i;
    v[x] = t[0] + (at - static_cast<float>(i)) * (t[1] - t[0]);
  }
}

void Grade::apply(float* y, float* cb, float* cr, int count) const {
  const float kr = weights_.red, kb = weights_.blue, kg = weights_.green();
  std::vector<float> buffer(static_cast<size_t>(count) * 3);
  float *r = buffer.data(), *g = r + count, *b = g + count;
  const float gain = kSteps / ((kHigh - kLow) * range_), offset = -(black_ + kLow * range_) * gain;
  for (int x = 0; x < count; ++x) {
    const auto primaries = codes_.of(y[x], cb[x], cr[x]);
    r[x] = primaries[0] * gain + offset;
    g[x] = primaries[1] * gain + offset;
    b[x] = primaries[2] * gain + offset;
  }
  look(tables_[0], r, count);
  look(tables_[1], g, count);
  look(tables_[2], b, count);
  if (look_) applyLook(r, g, b, count);
  const float saturation = look_ ? 1.0F : saturation_;
  const float to_cb = saturation * chroma_range_ / (2 * (1 - kb)),
              to_cr = saturation * chroma_range_ / (2 * (1 - kr));
  for (int x = 0; x < count; ++x) {
    const float luma = kr * r[x] + kg * g[x] + kb * b[x];
    y[x] = black_ + range_ * luma;
    cb[x] = 128 + to_cb * (b[x] - luma);
    cr[x] = 128 + to_cr * (r[x] - luma);
  }
}

// Packed, and with the strength of colour before it.
void Grade::applyLook(float* r, float* g, float* b, int count) const {
  std::vector<float> rgb(static_cast<size_t>(count) * 3);
  for (int x = 0; x < count; ++x) {
    const float luma = weights_.red * r[x] + weights_.green() * g[x] + weights_.blue * b[x];
    float* to = rgb.data() + static_cast<ptrdiff_t>(x) * 3;
    to[0] = luma + saturation_ * (r[x] - luma);
    to[1] = luma + saturation_ * (g[x] - luma);
    to[2] = luma + saturation_ * (b[x] - luma);
  }
  look_->apply(rgb.data(), count);
  for (int x = 0; x < count; ++x) {
    const float* from = rgb.data() + static_cast<ptrdiff_t>(x) * 3;
    r[x] = from[0];
    g[x] = from[1];
    b[x] = from[2];
  }
}

}  // namespace glenhaze
