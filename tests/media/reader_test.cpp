#include "core/media/reader.h"

#include <gtest/gtest.h>

#include <vector>

#include "core/media/clip_info.h"
#include "tests/support/footage.h"
#include "tests/support/stopped.h"

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

// Groups are of 15: further on in the one that is being read, nothing is gained by beginning it again.
TEST_F(Seeking, WithinAGroupItGoesOn) {
  ClipReader reader(*info);
  reader.seek(16);
  EXPECT_EQ(reader.next()->index, 16);
  reader.seek(28);
  const auto landing = reader.landing();
  ASSERT_TRUE(landing);
  EXPECT_GE(landing->index, 17);
  EXPECT_TRUE(sameSamples(*landing, fromStart(landing->index)));
  const auto frame = reader.next();
  EXPECT_EQ(frame->index, 28);
  EXPECT_TRUE(sameSamples(*frame, fromStart(28)));
}

// What the way to a frame begins with is the same for all frames of a group.
TEST_F(Seeking, AGroupIsKnownBeforeItIsRead) {
  ClipReader reader(*info);
  const auto group = reader.groupOf(18);
  ASSERT_TRUE(group);
  EXPECT_EQ(reader.groupOf(15), group);
  EXPECT_EQ(reader.groupOf(29), group);
  EXPECT_NE(reader.groupOf(3), group);
  EXPECT_NE(reader.groupOf(30), group);
}

// The first frames of a group, too: not the group before.
TEST_F(Seeking, AJumpLandsInTheFramesOwnGroup) {
  ClipReader reader(*info);
  for (const int64_t at : {17, 15, 16, 1, 2}) {
    reader.seek(at);
    const auto landing = reader.landing();
    ASSERT_TRUE(landing) << at;
    EXPECT_EQ(landing->index, at / 15 * 15) << at;
    reader.seek(at + 12);
    EXPECT_TRUE(reader.next());
  }
}

// Alone, and the very one; the reader goes anywhere afterwards, even without being sent.
TEST_F(Seeking, TheKeyPictureOfAGroupComesAlone) {
  for (const bool by_parts : {false, true}) {
    ReadOptions options;
    options.by_parts = by_parts;
    ClipReader reader(*info, options);
    for (const int64_t at : {29, 3, 15, 39, 0, 16, 38}) {
      const auto key = reader.keyFrame(at);
      ASSERT_TRUE(key) << at;
      EXPECT_EQ(key->index, at / 15 * 15) << at;
      EXPECT_TRUE(sameSamples(*key, fromStart(key->index))) << at;
      if (at == 3) continue;
      if (at != 39) reader.seek(at == 29 ? 30 : at);
      const auto frame = reader.next();
      ASSERT_TRUE(frame) << at;
      EXPECT_EQ(frame->index, at == 29 ? 30 : at);
      EXPECT_TRUE(sameSamples(*frame, fromStart(frame->index))) << at;
    }
    EXPECT_EQ(reader.damaged(), 0);
  }
}

TEST_F(Seeking, OnTheWayToAFrameItCanBeStopped) {
  ClipReader reader(*info);
  reader.seek(28);
  EXPECT_THROW(reader.next(testing::stoppedProgress()), Error);
  for (const int64_t at : {29, 4}) {
    reader.seek(at);
    const auto frame = reader.next();
    ASSERT_TRUE(frame) << at;
    EXPECT_EQ(frame->index, at);
    EXPECT_TRUE(sameSamples(*frame, fromStart(at))) << at;
  }
}

TEST_F(Seeking, OutOfRangeIsTheNearest) {
  ClipReader reader(*info);
  reader.seek(1000);
  const auto frame = reader.next();
  ASSERT_TRUE(frame);
  EXPECT_EQ(frame->index, info->frames - 1);
  EXPECT_FALSE(reader.next());
}

// Streams without an index land anywhere, and open groups begin with pictures that cannot be built alone:
// wherever a jump lands, the frame that comes is the one that was asked for.
struct Container {
  const char* name;
  const char* ending;
  const char* arguments;
};
void PrintTo(const Container& c, std::ostream* out) { *out << c.name; }
class SeekingAnywhere : public ::testing::TestWithParam<Container> {};
INSTANTIATE_TEST_SUITE_P(
    Seeking, SeekingAnywhere,
    ::testing::Values(Container{"TransportStream", ".ts", "-c:v libx264 -bf 2 -g 24"},
                      Container{"TransportStreamOpen", ".m2ts",
                                "-c:v libx264 -bf 3 -g 24 -x264-params open-gop=1:keyint=24"},
                      Container{"Mpeg2Transport", ".ts", "-c:v mpeg2video -bf 2 -g 15 -b:v 2M"},
                      Container{"ProgramStream", ".mpg", "-c:v mpeg2video -bf 2 -g 15 -b:v 2M"},
                      Container{"Mp4Open", ".mp4",
                                "-c:v libx264 -bf 3 -x264-params open-gop=1:keyint=24:bframes=3"},
                      Container{"Mp4HevcOpen", ".mp4",
                                "-c:v libx265 -x265-params log-level=error:open-gop=1:keyint=20:bframes=4"},
                      Container{"Matroska", ".mkv", "-c:v libx264 -bf 2 -g 24"},
                      Container{"IntraRefresh", ".ts", "-c:v libx264 -x264-params intra-refresh=1:keyint=24"},
                      Container{"Avi", ".avi", "-c:v mpeg4 -bf 2 -g 24 -b:v 1M"}),
    [](const auto& info) { return std::string(info.param.name); });

TEST_P(SeekingAnywhere, TheFrameThatWasAskedForComes) {
  const testing::ScratchFolder folder;
  const auto path = testing::makeWithFfmpeg(
      folder / ("clip" + std::string(GetParam().ending)),
      std::string("-f lavfi -i testsrc2=size=192x112:rate=25:duration=4 -pix_fmt yuv420p ") +
          GetParam().arguments);
  const ClipInfo clip = probe(path);
  ASSERT_TRUE(clip.readable()) << clip.problems.front().text;
  std::vector<Frame> all;
  ClipReader straight(clip);
  while (auto frame = straight.next()) {
    ASSERT_EQ(frame->index, static_cast<int64_t>(all.size()));
    all.push_back(std::move(*frame));
  }
  ASSERT_EQ(static_cast<int64_t>(all.size()), clip.frames);
  EXPECT_EQ(straight.damaged(), 0);
  ClipReader reader(clip);
  // All over the clip, and around the places where groups begin.
  for (const int64_t at : {50, 3, 99, 23, 24, 25, 26, 74, 61, 15, 12, 46, 1, 97}) {
    reader.seek(at);
    for (int64_t i = at; i < std::min<int64_t>(at + 3, clip.frames); ++i) {
      const auto frame = reader.next();
      ASSERT_TRUE(frame) << at;
      ASSERT_EQ(frame->index, i) << "asked for " << at;
      EXPECT_TRUE(sameSamples(*frame, all[static_cast<size_t>(i)]))
          << "frame " << i << " after a jump to " << at;
    }
    // Where pictures cannot be built alone none comes, but never another one.
    if (const auto key = reader.keyFrame(at)) {
      EXPECT_LE(key->index, at);
      EXPECT_TRUE(sameSamples(*key, all[static_cast<size_t>(key->index)])) << "the key picture for " << at;
    }
  }
  EXPECT_EQ(reader.damaged(), 0);
}

}  // namespace
}  // namespace glenhaze
