#include "core/pipeline/variants.h"

#include <algorithm>
#include <chrono>

#include "core/pipeline/sensor_stage.h"

namespace glenhaze {

std::vector<VariantFrame> tryVariants(const ClipInfo& clip, Fields fields, int64_t index,
                                      const Correction& correction, std::span<const DenoiseSettings> settings,
                                      const Progress& progress) {
  int side = 0;
  for (const DenoiseSettings& s : settings) side = std::max(side, s.frames_each_side);
  const auto [frames, middle] = framesAround(clip, index, side, {0, fields}, progress);
  const Geometry geometry(correction, {clip.width, clip.height});
  std::vector<VariantFrame> results;
  for (const DenoiseSettings& s : settings) {
    Correction own = correction;
    own.denoise = s;
    const auto started = std::chrono::steady_clock::now();
    const auto back = std::min<size_t>(middle, static_cast<size_t>(s.frames_each_side));
    SensorStage stage(own, static_cast<int>(back));
    std::optional<Frame> clean;
    for (size_t i = middle - back; i < frames.size() && !clean; ++i) clean = stage.push(frames[i], progress);
    if (!clean) clean = stage.drain(progress);
    VariantFrame result;
    result.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - started).count();
    if (correction.noise) result.removal = judgeRemoval(frames[middle], *clean, *correction.noise);
    result.corrected = geometry.movesPixels() ? correctFrame(*clean, geometry, clean->format) : *clean;
    results.push_back(std::move(result));
    progress.update(static_cast<double>(results.size()) / static_cast<double>(settings.size()));
  }
  return results;
}

}  // namespace glenhaze
