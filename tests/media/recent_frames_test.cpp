#include "core/media/recent_frames.h"

#include <gtest/gtest.h>

#include "core/base/error.h"
#include "tests/support/footage.h"
#include "tests/support/stopped.h"

namespace glenhaze {
namespace {

constexpr int64_t kCount = 40;

class RecentFramesTest : public ::testing::Test {
 protected:
  RecentFramesTest() {
    ClipReader reader(clip_);
    while (auto frame = reader.next()) all_.push_back(*frame);
  }
  size_t bytesOfOne() const {
    size_t bytes = 0;
    for (const Plane& plane : all_.front().planes)
      bytes += static_cast<size_t>(plane.stride) * static_cast<size_t>(plane.height);
    return bytes;
  }
  void expectFrom(RecentFrames& frames, int64_t first, int64_t last, bool backwards = false) {
    frames.goTo(first, backwards);
    for (int64_t i = first; i <= last; ++i) {
      const auto frame = frames.next();
      ASSERT_TRUE(frame) << i;
      EXPECT_EQ(frame->index, i);
      EXPECT_TRUE(sameSamples(*frame, all_[static_cast<size_t>(i)])) << i;
    }
  }

  testing::ScratchFolder folder_;
  ClipInfo clip_ = probe(testing::makeFilm(folder_ / "walk.mp4", testing::smallFilm(kCount)));
  std::vector<Frame> all_;
};

TEST_F(RecentFramesTest, EveryFrameIsTheOneOfTheClip) {
  ASSERT_EQ(all_.size(), static_cast<size_t>(kCount));
  for (const size_t many : {0, 1, 5, 100}) {
    RecentFrames frames(clip_, {}, many * bytesOfOne());
    for (const int64_t at : {20, 22, 21, 20, 19, 15, 33, 32, 3, 0, 37})
      for (const bool backwards : {false, true}) expectFrom(frames, at, at + 2, backwards);
    EXPECT_FALSE(frames.next());
  }
}

TEST_F(RecentFramesTest, WhatWasGivenLastIsKeptAsFarAsThereIsRoom) {
  RecentFrames frames(clip_, {}, 6 * bytesOfOne());
  expectFrom(frames, 10, 21);
  for (int64_t i = 8; i < 25; ++i) EXPECT_EQ(frames.find(i) != nullptr, i >= 16 && i <= 21) << i;
  // Within them nothing is decoded, and nothing forgotten.
  expectFrom(frames, 17, 18);
  EXPECT_TRUE(frames.find(16) && frames.find(21));
  // Back before them: with a few of those before it.
  expectFrom(frames, 14, 14, true);
  EXPECT_TRUE(frames.find(11) && frames.find(14));
  EXPECT_FALSE(frames.find(10));
  // Elsewhere: from there.
  for (const int64_t at : {31, 9}) {
    expectFrom(frames, at, at);
    EXPECT_FALSE(frames.find(at - 1));
  }
}

// What comes later can be had before, and comes in its turn all the same, even where there is little room.
TEST_F(RecentFramesTest, AFrameIsReachedWithoutLosingThoseBeforeIt) {
  RecentFrames frames(clip_, {}, 2 * bytesOfOne());
  frames.goTo(5);
  const Frame* far = frames.reach(12);
  ASSERT_TRUE(far);
  EXPECT_TRUE(sameSamples(*far, all_[12]));
  for (int64_t i = 5; i < 15; ++i) {
    const auto frame = frames.next();
    ASSERT_TRUE(frame);
    EXPECT_EQ(frame->index, i);
    EXPECT_TRUE(sameSamples(*frame, all_[static_cast<size_t>(i)])) << i;
  }
  EXPECT_EQ(frames.reach(kCount), nullptr);
}

TEST_F(RecentFramesTest, StoppedOnTheWayItGoesOn) {
  RecentFrames frames(clip_);
  frames.goTo(28);
  EXPECT_THROW(frames.next(testing::stoppedProgress()), Error);
  const auto frame = frames.next();
  ASSERT_TRUE(frame);
  EXPECT_EQ(frame->index, 28);
  EXPECT_TRUE(sameSamples(*frame, all_[28]));
}

}  // namespace
}  // namespace glenhaze
