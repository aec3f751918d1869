#include "core/pipeline/sensor_stage.h"

#include <algorithm>

#include "core/finish/shadows.h"

namespace glenhaze {

SensorStage::SensorStage(const Correction& correction, int lead) : correction_(correction), lead_(lead) {
  if (correction_.noise) denoiser_.emplace(*correction_.noise, correction_.denoise, lead);
}

Frame SensorStage::mended(const Frame& frame) const {
  const DenoiseSettings& settings = correction_.denoise;
  const bool flicker = correction_.flicker && correction_.flicker->depth > 0 && settings.flicker > 0;
  if (correction_.hot_pixels.empty() && !flicker) return frame;
  Frame own = cloneFrame(frame);
  mendHotPixels(own, correction_.hot_pixels);
  if (flicker) evenOut(own, *correction_.flicker, settings.flicker);
  return own;
}

std::optional<Frame> SensorStage::finished(std::optional<Frame> frame) const {
  if (frame && correction_.denoise.shadow_colour > 0) {
    *frame = cloneFrame(*frame);
    calmShadowColour(*frame, correction_.denoise.shadow_colour);
  }
  return frame;
}

std::optional<Frame> SensorStage::push(const Frame& frame, const Progress& progress) {
  progress.check();
  const Frame own = mended(frame);
  if (!denoiser_) return lead_-- > 0 ? std::nullopt : finished(own);
  // The last change at or before this frame holds.
  const auto& changes = correction_.noise_changes;
  const auto next = std::upper_bound(changes.begin(), changes.end(), frame.index,
                                     [](int64_t index, const NoiseChange& c) { return index < c.first; });
  if (!changes.empty())
    denoiser_->changeCurve(next == changes.begin() ? *correction_.noise : std::prev(next)->curve);
  return finished(denoiser_->push(own, progress));
}

std::optional<Frame> SensorStage::drain(const Progress& progress) {
  return denoiser_ ? finished(denoiser_->drain(progress)) : std::nullopt;
}

}  // namespace glenhaze
