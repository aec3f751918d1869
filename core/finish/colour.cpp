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
             std::shared_ptr<const LookTable> look, std::shared_ptr<const LookTable> log)
    : weights_(lumaWeights(tags.matrix, height)),
      codes_(tags, height),
      black_(tags.full_range ? 0.0F : 16.0F),
      range_(tags.full_range ? 255.0F : 219.0F),
      chroma_range_(tags.full_range ? 255.0F : 224.0F),
      saturation_(static_cast<float>(s.saturation)),
      dark_(static_cast<float>(s.colour_dark)),
      bright_(static_cast<float>(s.colour_bright)),
      look_(std::move(look)),
      log_(std::move(log)) {
  const ToneCurve tone = toneCurveOf(tagsAfter(s, tags).transfer);
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

ColourTags Grade::tagsAfter(const FinishSettings& settings, ColourTags tags) {
  constexpr int kBt709 = 1;  // both in ITU-T H.273
  if (!settings.log_curve.empty()) tags.transfer = tags.primaries = kBt709;
  return tags;
}

// Strength of colour by luma, 0..1: eased in over the darkest and the brightest third.
float Grade::saturationAt(float luma) const {
  if (dark_ == 1 && bright_ == 1) return saturation_;
  const auto eased = [](float t) {
    t = t < 0 ? 0 : t > 1 ? 1 : t;
    return t * t * (3 - 2 * t);
  };
  return saturation_ * (dark_ + (1 - dark_) * eased(3 * luma)) *
         (bright_ + (1 - bright_) * eased(3 * (1 - luma)));
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
  if (log_) takeLogOut(r, g, b, count);
  look(tables_[0], r, count);
  look(tables_[1], g, count);
  look(tables_[2], b, count);
  if (look_) applyLook(r, g, b, count);
  const float to_cb = chroma_range_ / (2 * (1 - kb)), to_cr = chroma_range_ / (2 * (1 - kr));
  for (int x = 0; x < count; ++x) {
    const float luma = kr * r[x] + kg * g[x] + kb * b[x];
    const float saturation = look_ ? 1.0F : saturationAt(luma);
    y[x] = black_ + range_ * luma;
    cb[x] = 128 + saturation * to_cb * (b[x] - luma);
    cr[x] = 128 + saturation * to_cr * (r[x] - luma);
  }
}

namespace {

// Three rows packed by pixel for `table`, and back.
void throughTable(const LookTable& table, float* r, float* g, float* b, int count, float gain, float offset) {
  std::vector<float> rgb(static_cast<size_t>(count) * 3);
  for (int x = 0; x < count; ++x) {
    float* to = rgb.data() + static_cast<ptrdiff_t>(x) * 3;
    to[0] = r[x] * gain + offset;
    to[1] = g[x] * gain + offset;
    to[2] = b[x] * gain + offset;
  }
  table.apply(rgb.data(), count);
  const float back = 1 / gain;
  for (int x = 0; x < count; ++x) {
    const float* from = rgb.data() + static_cast<ptrdiff_t>(x) * 3;
    r[x] = (from[0] - offset) * back;
    g[x] = (from[1] - offset) * back;
    b[x] = (from[2] - offset) * back;
  }
}

}  // namespace

// From places in the tables to such places.
void Grade::takeLogOut(float* r, float* g, float* b, int count) const {
  throughTable(*log_, r, g, b, count, (kHigh - kLow) / kSteps, kLow);
}

// With the strength of colour before it.
void Grade::applyLook(float* r, float* g, float* b, int count) const {
  for (int x = 0; x < count; ++x) {
    const float luma = weights_.red * r[x] + weights_.green() * g[x] + weights_.blue * b[x];
    const float saturation = saturationAt(luma);
    r[x] = luma + saturation * (r[x] - luma);
    g[x] = luma + saturation * (g[x] - luma);
    b[x] = luma + saturation * (b[x] - luma);
  }
  throughTable(*look_, r, g, b, count, 1, 0);
}

}  // namespace glenhaze
