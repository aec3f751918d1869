#include "core/media/frame_times.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/media/clip_info.h"
#include "core/media/reader.h"
#include "core/pipeline/render.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

using Fault = FrameTimes::Fault;
constexpr double kMilliseconds = 1000;  // ticks a second, as Matroska keeps them

std::vector<int64_t> roundedTo(double usual, int64_t count, int64_t start = 0) {
  std::vector<int64_t> stamps;
  for (int64_t i = 0; i < count; ++i) stamps.push_back(start + std::llround(usual * static_cast<double>(i)));
  return stamps;
}

TEST(FrameTimes, RoundedStampsOfAnEvenRateAreEven) {
  const auto stamps = roundedTo(1001.0 / 30, 5000, 7);
  const FrameTimes times = FrameTimes::ofStamps(stamps, 33.0, kMilliseconds);
  EXPECT_EQ(times.fault(), Fault::None);
  for (size_t i = 0; i < stamps.size(); ++i) {
    EXPECT_NEAR(static_cast<double>(times.stampAt(static_cast<int64_t>(i))), static_cast<double>(stamps[i]),
                1)
        << i;
    EXPECT_EQ(times.indexAt(stamps[i]), static_cast<int64_t>(i));
  }
}

// A rate that is a little off what the file states must not drift away over an hour.
TEST(FrameTimes, ARateOffItsNominalOneDoesNotDrift) {
  const double real = 90000 / 29.99;
  const auto stamps = roundedTo(real, 108'000);
  const FrameTimes times = FrameTimes::ofStamps(stamps, 3003, 90000);
  for (const size_t i : {0UL, 50'000UL, 107'999UL})
    EXPECT_EQ(times.indexAt(stamps[i]), static_cast<int64_t>(i));
}

TEST(FrameTimes, VaryingRatesKeepEveryStampAndFindTheNearest) {
  const std::vector<int64_t> stamps = {0, 33, 67, 500, 533, 1000};
  const FrameTimes times = FrameTimes::ofStamps({67, 0, 33, 1000, 533, 500}, 33.3, kMilliseconds);
  for (size_t i = 0; i < stamps.size(); ++i) EXPECT_EQ(times.stampAt(static_cast<int64_t>(i)), stamps[i]);
  EXPECT_EQ(times.indexAt(300), 2);  // is still shown
  EXPECT_EQ(times.indexAt(499), 3);  // a container's rounding
  EXPECT_EQ(times.indexAt(-50), 0);
  EXPECT_EQ(times.indexAt(99'999), 5);
}

TEST(FrameTimes, WhatCannotTellFramesApartIsSaid) {
  std::vector<int64_t> stamps = roundedTo(40, 100);
  stamps[50] = INT64_MIN;
  EXPECT_EQ(FrameTimes::ofStamps(stamps, 40, kMilliseconds).fault(), Fault::Missing);
  stamps = roundedTo(40, 50);
  const auto again = roundedTo(40, 50);
  stamps.insert(stamps.end(), again.begin(), again.end());
  EXPECT_EQ(FrameTimes::ofStamps(stamps, 40, kMilliseconds).fault(), Fault::Backwards);
  stamps = roundedTo(40, 50);
  stamps.push_back(95'443'000);  // a clock that went round
  const FrameTimes jumped = FrameTimes::ofStamps(stamps, 40, kMilliseconds);
  EXPECT_EQ(jumped.fault(), Fault::Gap);
  EXPECT_FALSE(jumped.ordered());
  EXPECT_EQ(jumped.stampAt(50), 2000);
}

TEST(FrameTimes, AFewDoubledStampsShareTheTimeUpToTheNext) {
  std::vector<int64_t> stamps = roundedTo(40, 100);
  stamps[30] = stamps[29];
  const FrameTimes times = FrameTimes::ofStamps(stamps, 40, kMilliseconds);
  EXPECT_EQ(times.fault(), Fault::Twice);
  EXPECT_EQ(times.stampAt(29), 1160);
  EXPECT_EQ(times.stampAt(30), 1200);
  EXPECT_EQ(times.stampAt(31), 1240);
  // All the same is no clock at all.
  const FrameTimes none = FrameTimes::ofStamps(std::vector<int64_t>(100, 5), 40, kMilliseconds, 80);
  EXPECT_EQ(none.stampAt(0), 80);
  EXPECT_EQ(none.stampAt(3), 200);
}

TEST(FrameTimes, NothingAndOneFrame) {
  EXPECT_EQ(FrameTimes::ofStamps({}, 40, kMilliseconds).count(), 0);
  const FrameTimes one = FrameTimes::ofStamps({17}, 40, kMilliseconds);
  EXPECT_EQ(one.stampAt(0), 17);
  EXPECT_EQ(one.ticksTo(1), 40);
  EXPECT_EQ(one.indexAt(900), 0);
}

// A raw stream has no time stamps at all: it is read by counting, and rendered with even ones.
TEST(FrameTimes, AStreamWithoutStampsIsReadByCounting) {
  const testing::ScratchFolder folder;
  const auto path = testing::makeWithFfmpeg(
      folder / "raw.h264",
      "-f lavfi -i testsrc2=size=160x96:rate=25:duration=2 -pix_fmt yuv420p -c:v libx264 -bf 2");
  const ClipInfo clip = probe(path);
  ASSERT_TRUE(clip.readable());
  EXPECT_EQ(clip.frames, 50);
  std::vector<Frame> all;
  ClipReader straight(clip);
  while (auto frame = straight.next()) {
    if (!all.empty()) EXPECT_GT(frame->pts, all.back().pts);
    all.push_back(std::move(*frame));
  }
  ASSERT_EQ(all.size(), 50U);
  ClipReader reader(clip);
  for (const int64_t at : {30, 4, 49, 5}) {
    reader.seek(at);
    const auto frame = reader.next();
    ASSERT_TRUE(frame);
    EXPECT_EQ(frame->index, at);
    EXPECT_TRUE(sameSamples(*frame, all[static_cast<size_t>(at)])) << at;
  }
  RenderJob job;
  job.clip = clip;
  job.place.path = folder / "out.mp4";
  job.range = FrameRange{10, 40};
  renderClip(job);
  const ClipInfo out = probe(job.place.path);
  EXPECT_EQ(out.frames, 30);
  EXPECT_NEAR(out.duration_s, 30 * clip.frameTime(1), 0.045);  // but for the last one
}

}  // namespace
}  // namespace glenhaze
