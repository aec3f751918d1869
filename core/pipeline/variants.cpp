#include "core/pipeline/variants.h"

#include <algorithm>
#include <chrono>

#include "core/base/error.h"
#include "core/pipeline/sensor_stage.h"

namespace glenhaze {

std::vector<VariantFrame> tryVariants(const ClipInfo& clip, Fields fields, int64_t index,
                                      const Correction& correction, std::span<const DenoiseSettings> settings,
                                      const Progress& progress) {
  int side = 0;
  for (const DenoiseSettings& s : settings) side = std::max(side, s.frames_each_side);
  ClipReader reader(clip, ReadOptions{0, fields});
  const int64_t first = std::max<int64_t>(0, index - side);
  reader.seek(first);
  std::vector<Frame> frames;
  for (int64_t i = first; i <= index + side; ++i) {
    progress.check();
    auto frame = reader.next();
    if (!frame) break;
    frames.push_back(std::move(*frame));
  }
  const auto middle = static_cast<size_t>(index - first);
  if (middle >= frames.size())
    throw Error(ErrorKind::Unreadable, "This frame cannot be read", clip.path.string(),
                "frame " + std::to_string(index), "");
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
    result.corrected = geometry.grid() != nullptr ? correctFrame(*clean, geometry, clean->format) : *clean;
    results.push_back(std::move(result));
    progress.update(static_cast<double>(results.size()) / static_cast<double>(settings.size()));
  }
  return results;
}

}  // namespace glenhaze
