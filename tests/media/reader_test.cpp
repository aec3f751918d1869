#include "core/media/reader.h"

#include <gtest/gtest.h>

#include <vector>

#include "core/media/clip_info.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

constexpr int64_t kFrames = 40;  // more than one group of pictures

// One film and all its frames, read from the start, for all tests.
class Seeking : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder = new testing::ScratchFolder;
    info = new ClipInfo(probe(testing::makeFilm(*folder / "walk.mp4", testing::smallFilm(kFrames))));
    frames = new std::vector<Frame>;
    ClipReader reader(*info);
    while (auto frame = reader.next()) frames->push_back(*frame);
  }
  static void TearDownTestSuite() {
    delete frames;
    delete info;
    delete folder;
  }
  void SetUp() override { ASSERT_EQ(frames->size(), static_cast<size_t>(kFrames)); }
  static const Frame& fromStart(int64_t index) { return (*frames)[static_cast<size_t>(index)]; }

  static inline testing::ScratchFolder* folder = nullptr;
  static inline ClipInfo* info = nullptr;
  static inline std::vector<Frame>* frames = nullptr;
};

// Whatever way it takes, a frame is bit for bit the one that reading from the start gives.
TEST_F(Seeking, SeekingGivesTheSameFrameFromAnywhere) {
  ClipReader reader(*info);
  for (const int64_t index : {30, 33, 32, 0, 39, 7, 15, 16, 38}) {
    reader.seek(index);
    const auto frame = reader.next();
    ASSERT_TRUE(frame);
    EXPECT_EQ(frame->index, index);
    EXPECT_TRUE(sameSamples(*frame, fromStart(index))) << "frame " << index;
  }
}

TEST_F(Seeking, TheLandingIsOnTheWay) {
  ClipReader reader(*info);
  reader.seek(36);
  if (const auto landing = reader.landing()) {
    EXPECT_LE(landing->index, 36);
    EXPECT_TRUE(sameSamples(*landing, fromStart(landing->index)));
  }
  const auto frame = reader.next();
  ASSERT_TRUE(frame);
  EXPECT_EQ(frame->index, 36);
  // On the next frame but one there is nothing to land on but itself or the one between.
  reader.seek(12);
  EXPECT_EQ(reader.next()->index, 12);
  reader.seek(14);
  const auto near = reader.landing();
  ASSERT_TRUE(near);
  EXPECT_GE(near->index, 13);
  EXPECT_EQ(reader.next()->index, near->index == 14 ? 15 : 14);
}

TEST_F(Seeking, OutOfRangeIsTheNearest) {
  ClipReader reader(*info);
  reader.seek(1000);
  const auto frame = reader.next();
  ASSERT_TRUE(frame);
  EXPECT_EQ(frame->index, info->frames - 1);
  EXPECT_FALSE(reader.next());
}

}  // namespace
}  // namespace glenhaze
