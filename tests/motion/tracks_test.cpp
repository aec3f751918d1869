// Tracks in their file: as many as there are, what they hold in memory does not grow with them.
#include "core/motion/tracks.h"

#include <gtest/gtest.h>
#include <malloc.h>

#include <fstream>
#include <random>

#include "core/base/error.h"
#include "core/motion/detail/track_file.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

constexpr int kWide = 1280, kHigh = 720;

FrameTracks someFrame(int index, size_t num_pairs) {
  std::mt19937 random(static_cast<unsigned>(index));
  std::uniform_real_distribution<float> x(0, kWide - 1), y(0, kHigh - 1);
  const detail::PositionSteps steps(kWide, kHigh);
  const auto kept = [&](float v) { return steps.from(steps.to(static_cast<double>(v))); };
  std::vector<TrackPair> pairs(num_pairs);
  for (TrackPair& p : pairs) p = {kept(x(random)), kept(y(random)), kept(x(random)), kept(y(random))};
  return {index / 30.0, 2, index == 3, std::move(pairs)};
}

TrackRecord someRecord(int num_frames, size_t num_pairs = 40) {
  TrackRecord record{kWide, kHigh, {}};
  for (int i = 0; i < num_frames; ++i) record.frames.push_back(someFrame(i, num_pairs));
  return record;
}

void expectSame(const TrackRecord& a, const TrackRecord& b) {
  ASSERT_EQ(a.frames.size(), b.frames.size());
  for (size_t i = 0; i < a.frames.size(); ++i) {
    EXPECT_EQ(a.frames[i].time_s, b.frames[i].time_s);
    EXPECT_EQ(a.frames[i].cut, b.frames[i].cut);
    const auto one = a.frames[i].pairs.read(), other = b.frames[i].pairs.read();
    ASSERT_EQ(one.size(), other.size());
    for (size_t k = 0; k < one.size(); ++k) {
      EXPECT_EQ(one[k].from_x, other[k].from_x);
      EXPECT_EQ(one[k].to_y, other[k].to_y);
    }
  }
}

size_t heapBytes() { return mallinfo2().uordblks; }

// A writer that is given up as a killed process gives it up: nothing is finished, nothing taken away.
void leaveUnfinished(const TrackPlace& place, int num_frames) {
  detail::TrackWriter writer(place, kWide, kHigh, detail::TrackWriter::Earlier::Forget);
  for (int i = 0; i < num_frames; ++i) writer.add(someFrame(i, 40));
}

// Frames from `first` on, as an analysis finds them.
void addFrames(detail::TrackWriter& writer, TrackRecord& record, int first, int end) {
  for (int i = first; i < end; ++i) record.frames.push_back(writer.add(someFrame(i, 40)));
}

std::filesystem::path unfinished(const TrackPlace& place) { return place.file.string() + ".part"; }

// Each pair takes 16 bytes: 300 of them in each of 4000 frames are 19 MB.
TEST(TrackFile, MemoryStaysFlatHoweverLongTheClipIs) {
  constexpr int kFrames = 4000;
  constexpr size_t kPerFrame = 200;
  const testing::ScratchFolder folder;
  const TrackPlace place{folder / "a.tracks", "key"};
  const size_t before = heapBytes();
  {
    detail::TrackWriter writer(place, kWide, kHigh, detail::TrackWriter::Earlier::TakeUp);
    TrackRecord record = writer.takenUp();
    for (int i = 0; i < kFrames; ++i) record.frames.push_back(writer.add(someFrame(i, 300)));
    writer.finish();
    EXPECT_LT(heapBytes() - before, kFrames * kPerFrame);
    EXPECT_EQ(record.frames[3999].pairs.read()[299].to_x, someFrame(3999, 300).pairs.read()[299].to_x);
  }
  const auto kept = loadTracks(place);
  ASSERT_TRUE(kept);
  EXPECT_EQ(kept->frames.size(), static_cast<size_t>(kFrames));
  EXPECT_LT(heapBytes() - before, kFrames * kPerFrame);
}

TEST(TrackFile, WhatIsSavedIsReadAgainAndNothingElseStaysThere) {
  const testing::ScratchFolder folder;
  const TrackPlace place{folder / "deep/a.tracks", "key"};
  const TrackRecord record = someRecord(20);
  saveTracks(record, place);
  saveTracks(record, place);
  const auto kept = loadTracks(place);
  ASSERT_TRUE(kept);
  expectSame(*kept, record);
  EXPECT_FALSE(std::filesystem::exists(unfinished(place)));
  EXPECT_FALSE(loadTracks({place.file, "another key"}));
}

TEST(TrackFile, OneThatIsCutOffAnywhereIsNotBelieved) {
  const testing::ScratchFolder folder;
  const TrackPlace place{folder / "a.tracks", "key"};
  saveTracks(someRecord(5, 4), place);
  const auto size = std::filesystem::file_size(place.file);
  for (uintmax_t bytes = 0; bytes < size; ++bytes) {
    std::filesystem::copy_file(place.file, folder / "b.tracks",
                               std::filesystem::copy_options::overwrite_existing);
    std::filesystem::resize_file(folder / "b.tracks", bytes);
    EXPECT_FALSE(loadTracks({folder / "b.tracks", "key"})) << bytes;
  }
}

TEST(TrackFile, AKilledAnalysisIsTakenUpBehindItsLastWholeFrame) {
  const testing::ScratchFolder folder;
  const TrackPlace place{folder / "a.tracks", "key"};
  leaveUnfinished(place, 12);
  std::filesystem::resize_file(unfinished(place), std::filesystem::file_size(unfinished(place)) - 7);
  detail::TrackWriter writer(place, kWide, kHigh, detail::TrackWriter::Earlier::TakeUp);
  TrackRecord record = writer.takenUp();
  ASSERT_EQ(record.frames.size(), 11U);
  addFrames(writer, record, 11, 20);
  writer.finish();
  expectSame(record, someRecord(20));
  const auto kept = loadTracks(place);
  ASSERT_TRUE(kept);
  expectSame(*kept, someRecord(20));
}

TEST(TrackFile, ThatOfAnotherKeyOrSizeIsNotTakenUp) {
  const testing::ScratchFolder folder;
  const TrackPlace place{folder / "a.tracks", "key"};
  using Writer = detail::TrackWriter;
  leaveUnfinished(place, 12);
  EXPECT_TRUE(
      Writer({place.file, "another"}, kWide, kHigh, Writer::Earlier::TakeUp).takenUp().frames.empty());
  leaveUnfinished(place, 12);
  EXPECT_TRUE(Writer(place, kWide, kHigh + 2, Writer::Earlier::TakeUp).takenUp().frames.empty());
}

TEST(TrackFile, TwoAnalysesOfOneClipDoNotWriteIntoEachOther) {
  const testing::ScratchFolder folder;
  const TrackPlace place{folder / "a.tracks", "key"};
  using Writer = detail::TrackWriter;
  Writer one(place, kWide, kHigh, Writer::Earlier::TakeUp), two(place, kWide, kHigh, Writer::Earlier::TakeUp);
  TrackRecord first{kWide, kHigh, {}}, second = first;
  for (int i = 0; i < 20; ++i) {
    first.frames.push_back(one.add(someFrame(i, 40)));
    second.frames.push_back(two.add(someFrame(i, 40)));
  }
  one.finish();
  EXPECT_THROW(two.finish(), Error);
  expectSame(first, someRecord(20));
  expectSame(second, someRecord(20));
  const auto kept = loadTracks(place);
  ASSERT_TRUE(kept);
  expectSame(*kept, someRecord(20));
}

TEST(TrackFile, WhereNothingCanBeKeptTracksAreThereAllTheSame) {
  const testing::ScratchFolder folder;
  std::ofstream(folder / "file") << "no folder";
  const TrackPlace place{folder / "file/a.tracks", "key"};
  detail::TrackWriter writer(place, kWide, kHigh, detail::TrackWriter::Earlier::TakeUp);
  TrackRecord record = writer.takenUp();
  addFrames(writer, record, 0, 20);
  expectSame(record, someRecord(20));
  EXPECT_THROW(writer.finish(), Error);
  EXPECT_THROW(saveTracks(record, place), Error);
  expectSame(record, someRecord(20));
}

}  // namespace
}  // namespace glenhaze
