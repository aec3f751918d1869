#include "core/clip/file_id.h"

#include <gtest/gtest.h>

#include <fstream>

#include "core/base/files.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;

TEST(FileId, StaysThroughRenamingAndTellsOneByteAtEitherEnd) {
  const testing::ScratchFolder folder;
  std::string bytes(300'000, 'a');
  writeFileAtomically(folder / "a", bytes);
  const FileId first = fileIdOf(folder / "a");
  ASSERT_TRUE(first.exists());
  EXPECT_EQ(first.bytes, 300'000U);
  fs::rename(folder / "a", folder / "b");
  EXPECT_EQ(fileIdOf(folder / "b"), first);
  for (const size_t at : {size_t{0}, size_t{65'535}, size_t{234'465}, size_t{299'999}}) {
    std::string other = bytes;
    other[at] = 'b';
    writeFileAtomically(folder / "c", other);
    EXPECT_FALSE(fileIdOf(folder / "c").sameContent(first)) << at;
  }
  writeFileAtomically(folder / "c", bytes);
  EXPECT_TRUE(fileIdOf(folder / "c").sameContent(first));
  EXPECT_NE(fileIdOf(folder / "c"), first);  // written at another time
}

TEST(FileId, SmallEmptyMissingAndOddFiles) {
  const testing::ScratchFolder folder;
  std::ofstream(folder / "empty").flush();
  writeFileAtomically(folder / "tiny", "x");
  EXPECT_TRUE(fileIdOf(folder / "empty").exists());
  EXPECT_TRUE(fileIdOf(folder / "tiny").exists());
  EXPECT_FALSE(fileIdOf(folder / "missing").exists());
  EXPECT_FALSE(fileIdOf("/dev/zero").exists());
}

TEST(FileId, OfASequenceIsOfAllItsFiles) {
  const testing::ScratchFolder folder;
  for (const char* name : {"s_01.png", "s_02.png", "s_03.png"}) writeFileAtomically(folder / name, name);
  const FileId whole = fileIdOf(folder / "s_%02d.png");
  ASSERT_TRUE(whole.exists());
  writeFileAtomically(folder / "s_02.png", "other ");
  EXPECT_NE(fileIdOf(folder / "s_%02d.png").content, whole.content);
}

TEST(FileId, AsTextAndBack) {
  const FileId id{12, -5, "abc"};
  EXPECT_EQ(FileId::fromText(id.text()), id);
  for (const char* text : {"", "1", "1 2", "x y z", "1 2x"})
    EXPECT_FALSE(FileId::fromText(text).exists()) << text;
}

}  // namespace
}  // namespace glenhaze
