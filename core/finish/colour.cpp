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
    : range_(tags.full_range ? detail::CodeRange{0, 255, 255} : detail::CodeRange{16, 219, 224}),
      strength_{static_cast<float>(s.saturation), static_cast<float>(s.colour_dark),
                static_cast<float>(s.colour_bright)},
      look_(std::move(look)),
      log_(std::move(log)) {
  const LumaWeights weights = lumaWeights(tags.matrix, height);
  weights_ = {weights.red, weights.green(), weights.blue};
  const PrimaryCodes primaries(tags, height);
  const auto of_u = primaries.of(0, 129, 128), of_v = primaries.of(0, 128, 129);
  mix_ = {of_v[0], of_u[1], of_v[1], of_u[2]};
  mix_.gain = kSteps / ((kHigh - kLow) * range_.luma);
  mix_.offset = -(range_.black + kLow * range_.luma) * mix_.gain;
  const ToneCurve tone = toneCurveOf(tagsAfter(s, tags).transfer);
  const auto gains = gainsOf(s, weights);
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

void Grade::apply(float* y, float* cb, float* cr, int count) const {
  std::vector<float> buffer(static_cast<size_t>(count) * 3);
  float *r = buffer.data(), *g = r + count, *b = g + count;
  rows_.toPrimaries(mix_, {y, cb, cr}, {r, g, b}, count);
  // From places in the curves to such places.
  if (log_) log_->apply(r, g, b, count, (kHigh - kLow) / kSteps, kLow);
  rows_.throughCurve(tables_[0].data(), kSteps, r, count);
  rows_.throughCurve(tables_[1].data(), kSteps, g, count);
  rows_.throughCurve(tables_[2].data(), kSteps, b, count);
  rows_.saturate(weights_, strength_, {r, g, b}, count);
  if (look_) look_->apply(r, g, b, count);
  rows_.toCodes(weights_, range_, {r, g, b}, {y, cb, cr}, count);
}

}  // namespace glenhaze
