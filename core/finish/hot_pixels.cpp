#include "core/finish/hot_pixels.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <map>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/base/statistics.h"
#include "core/media/reader.h"

namespace glenhaze {

namespace {

constexpr int kMostFrames = 60;

constexpr int kArea = 16;

// Mean and variance over time, of each luma sample and of squares of kArea; 8-bit codes.
struct Still {
  int width = 0, height = 0, frames = 0;
  std::vector<float> mean, variance;
  std::vector<float> area_mean, area_variance;
  int areasAcross() const { return width / kArea; }
  int areasDown() const { return height / kArea; }
  float at(int x, int y) const {
    return mean[static_cast<size_t>(y) * static_cast<size_t>(width) + static_cast<size_t>(x)];
  }
};

Still stillOf(const ClipInfo& clip, const Progress& progress) {
  Still still;
  still.width = clip.width;
  still.height = clip.height;
  const size_t count = static_cast<size_t>(clip.width) * static_cast<size_t>(clip.height);
  still.mean.assign(count, 0);
  still.variance.assign(count, 0);
  const size_t areas = static_cast<size_t>(still.areasAcross()) * static_cast<size_t>(still.areasDown());
  still.area_mean.assign(areas, 0);
  still.area_variance.assign(areas, 0);
  ClipReader reader(clip);
  while (still.frames < kMostFrames) {
    progress.check();
    const auto frame = reader.next();
    if (!frame) break;
    ++still.frames;
    const float gain = 1.0F / static_cast<float>(1 << (frame->format.bit_depth - 8));
    const int bytes = frame->format.bytesPerSample();
    const auto share = 1.0F / static_cast<float>(still.frames);
    parallelBlocks(still.height, 32, [&](int first, int last) {
      for (int y = first; y < last; ++y)
        for (int x = 0; x < still.width; ++x) {
          const size_t i = static_cast<size_t>(y) * static_cast<size_t>(still.width) + static_cast<size_t>(x);
          const float v = static_cast<float>(frame->planes[0].at(x, y, bytes)) * gain;
          // Welford's running mean and variance.
          const float d = v - still.mean[i];
          still.mean[i] += d * share;
          still.variance[i] += d * (v - still.mean[i]);
        }
    });
    parallelBlocks(still.areasDown(), 2, [&](int first, int last) {
      for (int row = first; row < last; ++row)
        for (int column = 0; column < still.areasAcross(); ++column) {
          float sum = 0;
          for (int y = 0; y < kArea; ++y)
            for (int x = 0; x < kArea; ++x)
              sum +=
                  static_cast<float>(frame->planes[0].at(column * kArea + x, row * kArea + y, bytes)) * gain;
          const size_t i = static_cast<size_t>(row) * static_cast<size_t>(still.areasAcross()) +
                           static_cast<size_t>(column);
          const float v = sum / (kArea * kArea), d = v - still.area_mean[i];
          still.area_mean[i] += d * share;
          still.area_variance[i] += d * (v - still.area_mean[i]);
        }
    });
  }
  if (still.frames < 3)
    throw Error(ErrorKind::Evidence, "The shot is too short to find hot pixels", clip.path.string(),
                std::to_string(still.frames) + " frames", "Film at least a second");
  for (auto* all : {&still.variance, &still.area_variance})
    for (float& v : *all) v /= static_cast<float>(still.frames - 1);
  return still;
}

// Noise all but vanishes in the mean of an area; what moves does not.
bool moves(const Still& s) {
  size_t moving = 0;
  for (int row = 0; row < s.areasDown(); ++row)
    for (int column = 0; column < s.areasAcross(); ++column) {
      float within = 0;
      for (int y = 0; y < kArea; ++y)
        for (int x = 0; x < kArea; ++x)
          within += s.variance[static_cast<size_t>(row * kArea + y) * static_cast<size_t>(s.width) +
                               static_cast<size_t>(column * kArea + x)];
      within /= kArea * kArea;
      const float whole = s.area_variance[static_cast<size_t>(row) * static_cast<size_t>(s.areasAcross()) +
                                          static_cast<size_t>(column)];
      moving += whole > 0.2F * within + 0.02F ? 1 : 0;
    }
  return moving * 3 > s.area_variance.size();
}

// The samples two steps away on all sides: a hot pixel's own blur, after demosaicing, ends before them.
std::array<float, 16> ringOf(const Still& s, int x, int y) {
  std::array<float, 16> ring{};
  size_t n = 0;
  for (int dy = -2; dy <= 2; ++dy)
    for (int dx = -2; dx <= 2; ++dx)
      if (std::max(std::abs(dx), std::abs(dy)) == 2)
        ring[n++] = s.at(std::clamp(x + dx, 0, s.width - 1), std::clamp(y + dy, 0, s.height - 1));
  return ring;
}

// How each sample of a still stands to the ring around it.
struct Responses {
  std::vector<float> beyond;  // how far outside all of it, up or down; 0 within, as on edges and slopes
  std::vector<float> off;     // distance from its middle
  std::vector<float> spread;  // of the ring itself, lowest to highest
};

Responses responsesOf(const Still& s) {
  const std::vector<float> none(s.mean.size());
  Responses responses{none, none, none};
  parallelBlocks(s.height, 16, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < s.width; ++x) {
        std::array<float, 16> ring = ringOf(s, x, y);
        std::sort(ring.begin(), ring.end());
        const float here = s.at(x, y);
        const size_t at = static_cast<size_t>(y) * static_cast<size_t>(s.width) + static_cast<size_t>(x);
        responses.beyond[at] = std::max(here - ring.back(), 0.0F) + std::min(here - ring.front(), 0.0F);
        responses.off[at] = std::abs(here - (ring[7] + ring[8]) / 2);
        responses.spread[at] = ring.back() - ring.front();
      }
  });
  return responses;
}

// A sample counts when it is the strongest near it and goes beyond its ring by `times` what samples around
// it are usually off theirs: texture, and noise that the codec has frozen, make all of them stand out. Along
// edges sharpened in the camera, halos make rows of beads: there the ring itself is anything but even.
std::vector<HotPixel> standingOut(const Still& s, double noise, double times) {
  const Responses responses = responsesOf(s);
  const auto at = [&](const std::vector<float>& all, int x, int y) {
    return all[static_cast<size_t>(std::clamp(y, 0, s.height - 1)) * static_cast<size_t>(s.width) +
               static_cast<size_t>(std::clamp(x, 0, s.width - 1))];
  };
  const double least = std::max(5.0, 8 * noise / std::sqrt(static_cast<double>(s.frames)));
  constexpr int kFar = 5;
  std::vector<HotPixel> found;
  for (int y = 0; y < s.height; ++y)
    for (int x = 0; x < s.width; ++x) {
      const float here = at(responses.beyond, x, y);
      if (std::abs(here) < least || std::abs(here) < at(responses.spread, x, y)) continue;
      bool peak = true;
      std::vector<float> around;
      for (int dy = -kFar; dy <= kFar; ++dy)
        for (int dx = -kFar; dx <= kFar; ++dx) {
          // A hot pixel's own blur, after demosaicing, is not what is usual around it.
          if (std::max(std::abs(dx), std::abs(dy)) > 2)
            around.push_back(at(responses.off, x + dx, y + dy));
          else
            peak &= std::abs(at(responses.beyond, x + dx, y + dy)) <= std::abs(here);
        }
      // Half of the samples around are off by less than this.
      const auto middle = around.begin() + static_cast<ptrdiff_t>(around.size() / 2);
      std::nth_element(around.begin(), middle, around.end());
      if (peak && std::abs(here) > times * *middle) found.push_back({x, y, here});
    }
  return found;
}

}  // namespace

HotPixelFinding findHotPixels(std::span<const ClipInfo> shots, const Progress& progress) {
  HotPixelFinding finding;
  finding.dark = true;
  std::map<std::pair<int, int>, std::pair<double, size_t>> seen;
  for (size_t i = 0; i < shots.size(); ++i) {
    if (shots[i].width != shots[0].width || shots[i].height != shots[0].height)
      throw Error(ErrorKind::Evidence, "The shots are of different sizes", shots[i].path.string(), "",
                  "Use shots of one mode");
    const Still still = stillOf(shots[i], progress);
    finding.frames += still.frames;
    if (moves(still))
      throw Error(ErrorKind::Evidence, "The shot does not hold still", shots[i].path.string(), "",
                  "Put the camera down, or cover the lens");
    const double noise = std::sqrt(std::max(0.02F, medianOf(still.variance)));
    if (medianOf(still.mean) > 40) finding.dark = false;
    for (const HotPixel& p : standingOut(still, noise, finding.dark ? 4 : shots.size() > 1 ? 6 : 9)) {
      auto& [excess, count] = seen[{p.x, p.y}];
      excess += p.excess;
      ++count;
    }
    progress.update(static_cast<double>(i + 1) / static_cast<double>(shots.size()));
  }
  for (const auto& [at, what] : seen)
    if (what.second == shots.size())
      finding.pixels.push_back({at.first, at.second, what.first / static_cast<double>(what.second)});
  std::sort(finding.pixels.begin(), finding.pixels.end(),
            [](const HotPixel& a, const HotPixel& b) { return std::abs(a.excess) > std::abs(b.excess); });
  return finding;
}

namespace {

// A square of samples becomes what its surroundings make of it: each side's neighbour weighs by its nearness.
template <typename T>
void mendSquare(Plane& plane, int x0, int y0, int x1, int y1) {
  x0 = std::max(x0, 0);
  y0 = std::max(y0, 0);
  x1 = std::min(x1, plane.width - 1);
  y1 = std::min(y1, plane.height - 1);
  std::vector<T> fresh;
  for (int y = y0; y <= y1; ++y)
    for (int x = x0; x <= x1; ++x) {
      double sum = 0, weight = 0;
      const auto add = [&](int sx, int sy, int distance) {
        if (sx < 0 || sy < 0 || sx >= plane.width || sy >= plane.height) return;
        sum += static_cast<double>(plane.row<T>(sy)[sx]) / distance;
        weight += 1.0 / distance;
      };
      add(x0 - 1, y, x - x0 + 1);
      add(x1 + 1, y, x1 + 1 - x);
      add(x, y0 - 1, y - y0 + 1);
      add(x, y1 + 1, y1 + 1 - y);
      fresh.push_back(weight > 0 ? static_cast<T>(std::lround(sum / weight)) : plane.row<T>(y)[x]);
    }
  size_t i = 0;
  for (int y = y0; y <= y1; ++y)
    for (int x = x0; x <= x1; ++x) plane.row<T>(y)[x] = fresh[i++];
}

}  // namespace

void mendHotPixels(Frame& frame, std::span<const HotPixel> pixels) {
  const auto mend = frame.format.bytesPerSample() == 1 ? mendSquare<uint8_t> : mendSquare<uint16_t>;
  for (const HotPixel& p : pixels) {
    if (p.x < 0 || p.y < 0 || p.x >= frame.width || p.y >= frame.height) continue;
    mend(frame.planes[0], p.x - 1, p.y - 1, p.x + 1, p.y + 1);
    for (size_t c = 1; c < static_cast<size_t>(frame.format.numPlanes()); ++c) {
      const int sx = frame.format.shiftX(), sy = frame.format.shiftY();
      mend(frame.planes[c], (p.x - 1) >> sx, (p.y - 1) >> sy, (p.x + 1) >> sx, (p.y + 1) >> sy);
    }
  }
}

}  // namespace glenhaze
