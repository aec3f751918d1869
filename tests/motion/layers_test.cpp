// Near and far things told apart by how they move against each other; exact places, so every pair's depth is
// known.
#include "core/motion/layers.h"

#include <gtest/gtest.h>

#include <random>

#include "core/motion/solve.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

constexpr double kNear_m = 3, kFar_m = 9;

// A camera that is carried from side to side, does not turn, and sees things at two distances.
struct Carried {
  Lens lens;
  TrackRecord record;
  std::vector<std::vector<bool>> is_far;  // of each frame's pairs

  explicit Carried(int num_frames, int cut_at = -1, double sway_m = 0.05) {
    lens = testing::testLens(LensModel::BrownConrady, 640, 360);
    lens.k = {};
    record = {lens.width, lens.height, {}};
    std::mt19937 random(3);
    std::uniform_real_distribution<double> along(-0.8, 0.8), depth(0, 1);
    std::normal_distribution<double> noise(0, 0.05);
    struct Thing {
      double x, y, z;
    };
    std::vector<Thing> things;
    for (int i = 0; i < 160; ++i) {
      const double z = i % 2 == 0 ? kFar_m : kNear_m;
      things.push_back({along(random) * z, 0.4 * along(random) * z, z});
    }
    std::vector<std::optional<Point>> before(things.size());
    for (int f = 0; f < num_frames; ++f) {
      const double t = f / 30.0;
      const Point camera{sway_m * std::sin(9 * t) + sway_m * std::sin(23 * t + 1),
                         0.4 * sway_m * std::cos(17 * t)};
      FrameTracks tracks{t, 1, f == cut_at, {}};
      std::vector<TrackPair> pairs;
      std::vector<bool> far;
      for (size_t i = 0; i < things.size(); ++i) {
        const Thing& thing = things[i];
        const Point at{lens.cx + lens.fx * (thing.x - camera.x) / thing.z + noise(random),
                       lens.cy + lens.fy * (thing.y - camera.y) / thing.z + noise(random)};
        const bool inside = at.x > 0 && at.y > 0 && at.x < lens.width - 1 && at.y < lens.height - 1;
        // Tracks are lost and found again.
        const bool lost = f == cut_at || (f + static_cast<int>(i) * 7) % 80 == 0;
        std::optional<Point> now = inside ? std::optional(at) : std::nullopt;
        if (now)
          now = Point{static_cast<double>(static_cast<float>(at.x)),
                      static_cast<double>(static_cast<float>(at.y))};
        if (now && before[i] && !lost) {
          pairs.push_back({static_cast<float>(before[i]->x), static_cast<float>(before[i]->y),
                           static_cast<float>(now->x), static_cast<float>(now->y)});
          far.push_back(thing.z == kFar_m);
        }
        before[i] = now;
      }
      tracks.pairs = std::move(pairs);
      record.frames.push_back(std::move(tracks));
      is_far.push_back(std::move(far));
    }
  }

  PartTracks of(SteadiedPart part) const {
    return tracksOfPart(record, part, lens, {}, solvePath(record, lens, {}).path);
  }

  // Of what was taken for a part, the share that belongs to it, and of what belongs to it the share taken.
  struct Told {
    double right = 0, found = 0;
  };
  Told told(SteadiedPart part) const {
    const PartTracks taken = of(part);
    double right = 0, all = 0, there = 0;
    for (size_t f = 0; f < record.frames.size(); ++f) {
      const auto pairs = record.frames[f].pairs.read(), kept = taken.record.frames[f].pairs.read();
      size_t next = 0;
      for (size_t k = 0; k < pairs.size(); ++k) {
        const bool belongs = is_far[f][k] == (part == SteadiedPart::Far);
        there += belongs ? 1 : 0;
        if (next >= kept.size() || kept[next].to_x != pairs[k].to_x || kept[next].to_y != pairs[k].to_y)
          continue;
        ++next;
        ++all;
        right += belongs ? 1 : 0;
      }
      EXPECT_EQ(next, kept.size());
    }
    return {right / all, right / there};
  }
};

TEST(Parts, NearAndFarAreToldOverManyStretchesAndACut) {
  const Carried film(750, 410);
  for (const SteadiedPart part : {SteadiedPart::Far, SteadiedPart::Near}) {
    const auto [right, found] = film.told(part);
    EXPECT_GT(right, 0.98);
    EXPECT_GT(found, 0.9);
  }
  EXPECT_GT(film.of(SteadiedPart::Far).told_share, 0.95);
}

TEST(Parts, OfACameraThatStaysInItsPlaceThereIsOne) {
  const Carried film(120, -1, 0);
  const PartTracks part = film.of(SteadiedPart::Near);
  EXPECT_EQ(part.told_share, 0);
  for (size_t f = 0; f < film.record.frames.size(); ++f)
    EXPECT_EQ(part.record.frames[f].pairs.size(), film.record.frames[f].pairs.size());
}

TEST(Parts, EmptyAndShortRecordsAreNoTrouble) {
  for (const int frames : {0, 1, 2, 3}) {
    const Carried film(frames);
    const CameraPath path(std::vector<PathFrame>(static_cast<size_t>(frames)));
    EXPECT_EQ(tracksOfPart(film.record, SteadiedPart::Far, film.lens, {}, path).record.frames.size(),
              static_cast<size_t>(frames));
  }
}

TEST(Parts, PairsAreChosenOutOfChosenOnes) {
  const TrackPairs all(std::vector<TrackPair>{{0, 0, 1, 0}, {0, 0, 2, 0}, {0, 0, 3, 0}, {0, 0, 4, 0}});
  const TrackPairs some = all.only({true, false, true, true}), fewer = some.only({false, true, true});
  ASSERT_EQ(some.size(), 3U);
  ASSERT_EQ(fewer.size(), 2U);
  EXPECT_EQ(fewer.read()[0].to_x, 3);
  EXPECT_EQ(fewer.read()[1].to_x, 4);
  EXPECT_TRUE(all.only({false, false, false, false}).empty());
}

}  // namespace
}  // namespace glenhaze
