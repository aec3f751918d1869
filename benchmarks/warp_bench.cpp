// Frames per second of the one resampling, alone. Build with `cmake --build build --target warp_bench`.
#include <benchmark/benchmark.h>

#include <random>

#include "core/base/parallel.h"
#include "core/pipeline/correction.h"

namespace {

using namespace glenhaze;

Frame noiseFrame(int width, int height, PixelFormat format) {
  std::mt19937 random(1);
  Frame frame = makeFrame(width, height, format);
  for (size_t p = 0; p < static_cast<size_t>(format.numPlanes()); ++p)
    for (int y = 0; y < frame.planes[p].height; ++y)
      for (int x = 0; x < frame.planes[p].width * format.bytesPerSample(); ++x)
        frame.planes[p].row<uint8_t>(y)[x] = static_cast<uint8_t>(random() & 3U);
  return frame;
}

// Arguments: width, height, bit depth, threads.
void warpLens(benchmark::State& state) {
  const auto width = static_cast<int>(state.range(0)), height = static_cast<int>(state.range(1));
  const ThreadLimit limit(static_cast<int>(state.range(3)));
  const Frame frame = noiseFrame(width, height, {Chroma::C420, static_cast<int>(state.range(2))});
  Lens lens = straightLens(width, height, 0.6 * width);
  lens.k = {-0.21, 0.05, 0.0004, -0.0003, -0.005};
  Correction correction;
  correction.lens = lens;
  const Geometry geometry(correction, {width, height});
  for (auto _ : state) benchmark::DoNotOptimize(correctFrame(frame, geometry, frame.format));
  state.counters["frames/s"] =
      benchmark::Counter(static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
BENCHMARK(warpLens)
    ->Args({1920, 1080, 8, 1})
    ->Args({1920, 1080, 8, 2})
    ->Args({1920, 1080, 10, 2})
    ->Args({3840, 2160, 8, 2})
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);

// A shaken path with everything that a frame of it needs: the grid is made anew for each.
std::shared_ptr<const ClipMotion> shaken(const Lens& lens, int frames) {
  std::vector<PathFrame> path(static_cast<size_t>(frames));
  for (size_t i = 0; i < path.size(); ++i) {
    const double t = static_cast<double>(i) / 30;
    path[i].time_s = t;
    path[i].orientation =
        rotationOf({0.01 * std::sin(25 * t), 0.012 * std::cos(31 * t), 0.004 * std::sin(19 * t)});
  }
  auto motion = std::make_shared<ClipMotion>();
  motion->path = CameraPath(std::move(path));
  motion->shutter = {0.0148, ScanDirection::Down};
  const StabilizationRoom room(motion->path, lens, motion->shutter, LensWindow(lens, {}));
  motion->frames = stabilize(room, {}, 0, frames).frames;
  return motion;
}

// Lens, shutter and stabilization in one resampling. Arguments as above.
void warpMotion(benchmark::State& state) {
  const auto width = static_cast<int>(state.range(0)), height = static_cast<int>(state.range(1));
  const ThreadLimit limit(static_cast<int>(state.range(3)));
  Frame frame = noiseFrame(width, height, {Chroma::C420, static_cast<int>(state.range(2))});
  Correction correction;
  correction.lens = straightLens(width, height, 0.6 * width);
  correction.lens->k = {-0.21, 0.05, 0.0004, -0.0003, -0.005};
  correction.motion = shaken(*correction.lens, 60);
  const Geometry geometry(correction, {width, height});
  frame.index = 0;
  for (auto _ : state) {
    frame.index = (frame.index + 1) % 60;
    benchmark::DoNotOptimize(correctFrame(frame, geometry, frame.format));
  }
  state.counters["frames/s"] =
      benchmark::Counter(static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}
BENCHMARK(warpMotion)
    ->Args({1920, 1080, 8, 1})
    ->Args({1920, 1080, 8, 2})
    ->Args({3840, 2160, 8, 2})
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond);

// What a change of the stabilization settings costs before a picture shows. Argument: frames of the clip.
void changeSettings(benchmark::State& state) {
  Lens lens = straightLens(1920, 1080, 1152);
  lens.k = {-0.21, 0.05, 0.0004, -0.0003, -0.005};
  const auto frames = static_cast<int>(state.range(0));
  const auto motion = shaken(lens, frames);
  const StabilizationRoom room(motion->path, lens, motion->shutter, LensWindow(lens, {}));
  StabilizationSettings settings;
  for (auto _ : state) {
    settings.smoothing_s = settings.smoothing_s == 0.8 ? 1.2 : 0.8;
    benchmark::DoNotOptimize(stabilize(room, settings, 0, frames));
  }
}
BENCHMARK(changeSettings)->Arg(300)->Arg(18000)->UseRealTime()->Unit(benchmark::kMillisecond);

void buildRoom(benchmark::State& state) {
  Lens lens = straightLens(1920, 1080, 1152);
  lens.k = {-0.21, 0.05, 0.0004, -0.0003, -0.005};
  const auto motion = shaken(lens, static_cast<int>(state.range(0)));
  for (auto _ : state)
    benchmark::DoNotOptimize(StabilizationRoom(motion->path, lens, motion->shutter, LensWindow(lens, {})));
}
BENCHMARK(buildRoom)->Arg(300)->Arg(18000)->UseRealTime()->Unit(benchmark::kMillisecond);

void buildGrid(benchmark::State& state) {
  Lens lens = straightLens(1920, 1080, 1152);
  lens.k = {-0.21, 0.05, 0.0004, -0.0003, -0.005};
  const LensWindow window(lens, {});
  for (auto _ : state)
    benchmark::DoNotOptimize(
        WarpGrid({1920, 1080}, {1920, 1080}, [&](Point p) { return window.toSource(p); }));
}
BENCHMARK(buildGrid)->UseRealTime()->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
