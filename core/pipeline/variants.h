#pragma once
// One frame under several settings of noise removal, for choosing among them.

#include <span>
#include <vector>

#include "core/media/reader.h"
#include "core/noise/judge.h"
#include "core/pipeline/correction.h"

namespace glenhaze {

struct VariantFrame {
  Frame corrected;
  RemovalVerdict removal;
  double seconds = 0;  ///< that making the frame took
};

/// The frame of a clip through the whole correction, once for each of `settings`; the correction must have a
/// noise curve. Throws Error(Unreadable) when there is no such frame, Error(Cancelled).
std::vector<VariantFrame> tryVariants(const ClipInfo& clip, Fields fields, int64_t frame,
                                      const Correction& correction, std::span<const DenoiseSettings> settings,
                                      const Progress& progress = {});

}  // namespace glenhaze
