#include "desktop/motion_store.h"

#include <gtest/gtest.h>

#include <QSignalSpy>

#include "tests/desktop/wait.h"
#include "tests/support/footage.h"

namespace glenhaze::desktop {
namespace {

class MotionStoreTest : public ::testing::Test {
 protected:
  MotionRequest requestOf(const char* name, int64_t frames) {
    MotionRequest r;
    r.clip = probe(testing::makeFilm(folder_ / name, testing::smallFilm(frames)));
    r.lens = testing::smallCamera().lens;
    r.window = {0, 0, 1, 1};
    return r;
  }
  bool known(const MotionRequest& r) {
    return eventually([&] { return store_.find(r) != nullptr; });
  }
  testing::ScratchFolder folder_;
  MotionStore store_;
};

TEST_F(MotionStoreTest, IsWorkedOutOnceAndFoundUnderTheseSettingsOnly) {
  const MotionRequest r = requestOf("a.mp4", 8);
  EXPECT_EQ(store_.find(r), nullptr);
  store_.want(r);
  ASSERT_TRUE(known(r));
  EXPECT_EQ(store_.find(r)->motion->path.frames().size(), 8U);
  QSignalSpy changed(&store_, &MotionStore::changed);
  store_.want(r);
  QTest::qWait(50);
  EXPECT_EQ(changed.count(), 0) << "it is known already";
  MotionRequest other = r;
  other.settings.smoothing_s = 2 * r.settings.smoothing_s;
  EXPECT_EQ(store_.find(other), nullptr);
  // Nearest to the truth meanwhile.
  EXPECT_EQ(store_.newest(r.clip.path), store_.find(r));
}

TEST_F(MotionStoreTest, OtherSettingsReuseTheTracks) {
  const MotionRequest r = requestOf("a.mp4", 8);
  store_.want(r);
  ASSERT_TRUE(known(r));
  const auto tracks = store_.tracks(r.clip.path);
  ASSERT_NE(tracks, nullptr);
  MotionRequest other = r;
  other.settings.smoothing_s = 2 * r.settings.smoothing_s;
  store_.want(other);
  ASSERT_TRUE(known(other));
  EXPECT_EQ(store_.tracks(r.clip.path), tracks);
}

// Each record of tracks holds a file open, of which a process has about a thousand.
TEST_F(MotionStoreTest, TracksOfClipsLookedAtLongAgoAreClosed) {
  const MotionRequest first = requestOf("a.mp4", 4);
  store_.want(first);
  ASSERT_TRUE(known(first));
  MotionRequest other = first;
  for (size_t i = 0; i < MotionStore::kOpenTracks; ++i) {
    other.clip.path = folder_ / ("b" + std::to_string(i) + ".mp4");
    std::filesystem::create_symlink(first.clip.path, other.clip.path);
    store_.want(other);
    ASSERT_TRUE(known(other));
  }
  EXPECT_NE(store_.tracks(other.clip.path), nullptr);
  EXPECT_EQ(store_.tracks(first.clip.path), nullptr);
  EXPECT_NE(store_.find(first), nullptr);
  store_.want(first);
  EXPECT_TRUE(eventually([&] { return store_.tracks(first.clip.path) != nullptr; }));
}

TEST_F(MotionStoreTest, TheClipAskedForLastComesFirst) {
  const MotionRequest slow = requestOf("a.mp4", 40), quick = requestOf("b.mp4", 4);
  store_.want(slow);
  store_.want(quick);
  ASSERT_TRUE(known(quick));
  EXPECT_EQ(store_.find(slow), nullptr);
}

TEST_F(MotionStoreTest, WhatCannotBeReadIsSaidAndNotTriedForEver) {
  const MotionRequest r = requestOf("a.mp4", 6);
  std::filesystem::remove(r.clip.path);
  store_.want(r);
  ASSERT_TRUE(eventually([&] { return !store_.trouble().isEmpty(); }));
  QSignalSpy changed(&store_, &MotionStore::changed);
  store_.want(r);
  QTest::qWait(100);
  EXPECT_EQ(changed.count(), 0);
  EXPECT_FALSE(store_.busy());
}

}  // namespace
}  // namespace glenhaze::desktop
