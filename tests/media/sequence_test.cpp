#include "core/media/sequence.h"

#include <gtest/gtest.h>

#include <fstream>

#include "tests/support/footage.h"

namespace glenhaze {
namespace {

void touch(const std::filesystem::path& path) { std::ofstream(path) << "x"; }

TEST(Sequence, FolderListsFilmsStillsAndSequences) {
  const testing::ScratchFolder folder;
  for (int i = 17; i < 29; ++i) touch(folder / ("lapse_" + std::to_string(1000 + i).substr(1) + ".png"));
  touch(folder / "b.MOV");
  touch(folder / "alone.jpg");
  touch(folder / "notes.txt");
  touch(folder / ".hidden.mp4");
  const auto found = listFootage(folder.path());
  ASSERT_EQ(found.size(), 3U);
  EXPECT_EQ(found[0].filename(), "alone.jpg");
  EXPECT_EQ(found[1].filename(), "b.MOV");
  EXPECT_EQ(found[2].filename(), "lapse_%03d.png");
  const auto sequence = sequenceFromPattern(found[2]);
  ASSERT_TRUE(sequence);
  EXPECT_EQ(sequence->first, 17);
  EXPECT_EQ(sequence->count, 12);
  EXPECT_EQ(sequenceFile(found[2], 17).filename(), "lapse_017.png");
}

TEST(Sequence, APercentSignInAnOrdinaryNameIsNoPattern) {
  const testing::ScratchFolder folder;
  touch(folder / "100%01d.png");
  EXPECT_FALSE(sequenceFromPattern(folder / "100%01d.png").has_value());
}

}  // namespace
}  // namespace glenhaze
