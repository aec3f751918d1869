#pragma once
// Films for the benchmarks of noise removal, each once clean and once noisy, and what is measured on them.

#include <filesystem>
#include <functional>
#include <vector>

#include "core/frame/frame.h"
#include "core/noise/curve.h"
#include "simulator/camera.h"

namespace glenhaze::bench {

/// All frames of a film (8 bit); rendered where it is not there yet.
std::vector<Frame> film(const std::filesystem::path& path, const std::function<sim::SimCamera()>& camera,
                        int frames);

/// Of a plane of 8 bit, 8 samples from the border on, dB.
double psnr(const Plane& a, const Plane& b);

/// The same over the tenth of the 16 × 16 blocks that have the strongest texture in `clean`.
double psnrInTexture(const Plane& clean, const Plane& other);

/// The noise of a film from the difference to its clean original: the truth, not a measurement.
NoiseCurve trueCurve(const std::vector<Frame>& clean, const std::vector<Frame>& noisy);

}  // namespace glenhaze::bench
