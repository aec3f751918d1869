#include "core/pipeline/sensor_stage.h"

#include <algorithm>

#include "core/finish/shadows.h"

namespace glenhaze {

SensorStage::SensorStage(const Correction& correction, int lead) : correction_(correction), lead_(lead) {
  if (correction_.shimmer() > 0) {
    // What is still to be calmed has to stand there cleaned.
    const int own = std::min(lead_, ShimmerCalmer::kReach);
    calmer_.emplace(correction_.shimmer(), own);
    lead_ -= own;
  }
  if (correction_.noise) denoiser_.emplace(*correction_.noise, correction_.denoise, lead_);
}

Frame SensorStage::mended(Frame frame) const {
  const DenoiseSettings& settings = correction_.denoise;
  const bool flicker = correction_.flicker && !correction_.flicker->none() && settings.flicker > 0;
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

std::optional<Frame> SensorStage::push(Frame frame, const Progress& progress) {
  progress.check();
  const auto clean = cleaned(mended(std::move(frame)), progress);
  return finished(calmer_ && clean ? calmer_->push(*clean, progress) : clean);
}

// Flicker and what is broken are mended already.
std::optional<Frame> SensorStage::cleaned(Frame frame, const Progress& progress) {
  if (!denoiser_) return lead_-- > 0 ? std::nullopt : std::optional(std::move(frame));
  // The last change at or before this frame holds.
  const auto& changes = correction_.noise_changes;
  const auto next = std::upper_bound(changes.begin(), changes.end(), frame.index,
                                     [](int64_t index, const NoiseChange& c) { return index < c.first; });
  if (!changes.empty())
    denoiser_->changeCurve(next == changes.begin() ? *correction_.noise : std::prev(next)->curve);
  return denoiser_->push(std::move(frame), progress);
}

std::optional<Frame> SensorStage::drain(const Progress& progress) {
  if (!calmer_) return denoiser_ ? finished(denoiser_->drain(progress)) : std::nullopt;
  while (denoiser_)
    if (const auto clean = denoiser_->drain(progress)) {
      if (auto calm = calmer_->push(*clean, progress)) return finished(std::move(calm));
    } else {
      break;
    }
  return finished(calmer_->drain(progress));
}

}  // namespace glenhaze
