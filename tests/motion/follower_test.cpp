#include "core/motion/detail/follower.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>

#include "core/base/parallel.h"
#include "tests/support/footage.h"
#include "tests/support/texture.h"

namespace glenhaze {
namespace {

constexpr int kWidth = 640, kHeight = 360;

double texture(double x, double y) {
  static const testing::Texture structure;
  return structure(x, y);
}

Frame moved(double dx, double dy, int64_t index) {
  Frame frame = testing::paint(kWidth, kHeight, {}, [&](int x, int y) {
    return static_cast<int>(std::lround(std::clamp(texture(x - dx, y - dy), 0.0, 255.0)));
  });
  frame.index = index;
  return frame;
}

TEST(PositionSteps, AreFineEnoughAndTheSameWhenReadBack) {
  for (const int width : {320, 1280, 1920, 3840}) {
    const detail::PositionSteps steps(width, width * 9 / 16);
    for (double px = 0; px < width; px += 0.37) {
      const uint16_t kept = steps.to(px);
      EXPECT_NEAR(steps.from(kept), px, 0.5 * width / 1280 / 50 + 1e-3);
      EXPECT_EQ(steps.to(steps.from(kept)), kept);
    }
  }
}

TEST(Follower, FollowsAKnownMoveToAFewHundredths) {
  const TrackOptions options;
  Tracker tracker(kWidth, kHeight, options);
  double x = 0, y = 0;
  for (int i = 0; i < 8; ++i) {
    const double dx = i == 0 ? 0 : 1.3 + 0.4 * i, dy = i == 0 ? 0 : -0.7 * i;
    x += dx;
    y += dy;
    const FrameTracks tracks = tracker.push(moved(x, y, i), i / 30.0);
    EXPECT_FALSE(tracks.cut);
    if (i == 0) {
      EXPECT_TRUE(tracks.pairs.empty());
      continue;
    }
    ASSERT_GT(tracks.pairs.size(), 60U) << i;
    // A few lie at the picture's border, where what they look at leaves it; the solver passes them over.
    std::vector<double> errors;
    for (const TrackPair& p : tracks.pairs.read())
      errors.push_back(std::hypot(p.to_x - p.from_x - dx, p.to_y - p.from_y - dy));
    std::sort(errors.begin(), errors.end());
    EXPECT_LT(errors[errors.size() / 2], 0.05) << i;
    EXPECT_LT(errors[errors.size() * 95 / 100], 0.3) << i;
  }
}

// A bare wall with a poster: what there is gives more than it would in a full picture, and more again where
// points were lost.
TEST(Follower, APictureWithLittleInItGivesMoreOfThat) {
  const auto pairsOn = [](double share) {
    const auto picture = [&](int64_t index) {
      Frame frame = testing::paint(kWidth, kHeight, {}, [&](int x, int y) {
        const bool poster = x < share * kWidth;
        return poster ? static_cast<int>(std::lround(std::clamp(texture(x - 0.5 * index, y), 0.0, 255.0)))
                      : 120;
      });
      frame.index = index;
      return frame;
    };
    Tracker tracker(kWidth, kHeight, {});
    size_t fewest = 1000;
    for (int64_t i = 0; i < 24; ++i) {
      const FrameTracks tracks = tracker.push(picture(i), static_cast<double>(i) / 30);
      if (i > 0) fewest = std::min(fewest, tracks.pairs.size());
    }
    return static_cast<double>(fewest);
  };
  const double full = pairsOn(1), part = pairsOn(0.3);
  EXPECT_GT(part, 1.4 * 0.3 * full);
  EXPECT_LT(part, full);
}

TEST(Follower, PointsAreSpreadOverThePicture) {
  Tracker tracker(kWidth, kHeight, {});
  tracker.push(moved(0, 0, 0), 0);
  const FrameTracks tracks = tracker.push(moved(1, 0, 1), 1 / 30.0);
  std::array<int, 6> thirds{};
  for (const TrackPair& p : tracks.pairs.read())
    ++thirds[static_cast<size_t>(std::min(2, static_cast<int>(3 * p.to_x / kWidth)) +
                                 3 * std::min(1, static_cast<int>(2 * p.to_y / kHeight)))];
  for (const int count : thirds) EXPECT_GT(count, 5);
}

TEST(Follower, NothingToFollowGivesNothing) {
  Tracker tracker(kWidth, kHeight, {});
  const Frame grey = testing::paint(kWidth, kHeight, {}, [](int, int) { return 90; });
  tracker.push(grey, 0);
  const FrameTracks tracks = tracker.push(grey, 1 / 30.0);
  EXPECT_TRUE(tracks.pairs.empty());
  EXPECT_LT(tracks.sharpness, 1);
}

TEST(Follower, AnotherSceneIsACut) {
  Tracker tracker(kWidth, kHeight, {});
  tracker.push(moved(0, 0, 0), 0);
  tracker.push(moved(1, 0, 1), 1 / 30.0);
  const Frame other = testing::paint(
      kWidth, kHeight, {}, [](int x, int y) { return (x * 7919 + y * 104729) % 40 < 6 ? 240 : 18; });
  EXPECT_TRUE(tracker.push(other, 2 / 30.0).cut);
}

// A picture that only gets darker is the same scene.
TEST(Follower, AChangeOfExposureIsNone) {
  Tracker tracker(kWidth, kHeight, {});
  tracker.push(moved(0, 0, 0), 0);
  Frame darker = moved(1.5, 0, 1);
  for (int y = 0; y < kHeight; ++y)
    for (int x = 0; x < kWidth; ++x)
      darker.planes[0].row<uint8_t>(y)[x] = static_cast<uint8_t>(darker.planes[0].row<uint8_t>(y)[x] * 0.8);
  const FrameTracks tracks = tracker.push(darker, 1 / 30.0);
  EXPECT_FALSE(tracks.cut);
  ASSERT_GT(tracks.pairs.size(), 40U);
  double mean = 0;
  for (const TrackPair& p : tracks.pairs.read())
    mean += (p.to_x - p.from_x) / static_cast<double>(tracks.pairs.size());
  EXPECT_NEAR(mean, 1.5, 0.05);
}

TEST(Follower, TheSameForAnyNumberOfThreads) {
  const auto run = [](int threads) {
    const ThreadLimit limit(threads);
    Tracker tracker(kWidth, kHeight, {});
    std::vector<float> all;
    for (int i = 0; i < 4; ++i)
      for (const TrackPair& p : tracker.push(moved(2.3 * i, 0.4 * i, i), i / 30.0).pairs.read())
        for (const float v : {p.from_x, p.from_y, p.to_x, p.to_y}) all.push_back(v);
    return all;
  };
  const auto one = run(1);
  ASSERT_FALSE(one.empty());
  EXPECT_EQ(one, run(3));
}

TEST(Follower, SmallAndOddPicturesAreNoTrouble) {
  for (const auto& [width, height] : {std::pair{16, 16}, std::pair{33, 17}, std::pair{64, 48}}) {
    Tracker tracker(width, height, {});
    for (int i = 0; i < 3; ++i) {
      const Frame frame = testing::paint(width, height, {}, [&](int x, int y) {
        return static_cast<int>(std::clamp(texture(x - i, y), 0.0, 255.0));
      });
      EXPECT_NO_THROW(tracker.push(frame, i / 30.0)) << width;
    }
  }
}

}  // namespace
}  // namespace glenhaze
