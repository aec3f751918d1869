#include "core/clip/fact_store.h"

#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>

#include "core/base/files.h"
#include "core/clip/info_text.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;

TEST(FactStore, FindsAFileAgainAfterItWasRenamedOrCopied) {
  const testing::ScratchFolder folder;
  writeFileAtomically(folder / "a", "footage");
  FactStore store(folder / "facts");
  store.put(store.identify(folder / "a"), "noise", "q", "fact");
  fs::rename(folder / "a", folder / "b");
  fs::copy_file(folder / "b", folder / "c");
  FactStore again(folder / "facts");
  for (const char* name : {"b", "c"})
    EXPECT_EQ(again.find(again.identify(folder / name), "noise", "q"), "fact");
  EXPECT_FALSE(again.find(again.identify(folder / "b"), "noise", "other"));
  EXPECT_FALSE(again.find(again.identify(folder / "b"), "light", "q"));
  EXPECT_EQ(again.all(again.identify(folder / "b"), "noise").size(), 1U);
}

TEST(FactStore, AChangedFileIsAnotherOne) {
  const testing::ScratchFolder folder;
  writeFileAtomically(folder / "a", "footage");
  FactStore store(folder / "facts");
  const FileId before = store.identify(folder / "a");
  EXPECT_EQ(store.identify(folder / "a"), before);
  EXPECT_EQ(before, fileIdOf(folder / "a"));
  writeFileAtomically(folder / "a", "Footage");
  EXPECT_EQ(store.identify(folder / "a"), fileIdOf(folder / "a"));
  EXPECT_NE(store.identify(folder / "a").content, before.content);
  EXPECT_FALSE(store.identify(folder / "missing").exists());
}

TEST(FactStore, DamagedOrNowhereItCostsAnotherLookOnly) {
  const testing::ScratchFolder folder;
  const FileId id{1, 2, "ab"};
  std::ofstream(folder / "facts") << std::string(3000, 'x');
  FactStore damaged(folder / "facts");
  EXPECT_FALSE(damaged.find(id, "k", "q"));
  damaged.put(id, "k", "q", "v");
  EXPECT_EQ(damaged.find(id, "k", "q"), "v");
  FactStore none, nowhere("/proc/nothing/facts");
  for (FactStore* store : {&none, &nowhere}) {
    store->put(id, "k", "q", "v");
    EXPECT_FALSE(store->find(id, "k", "q"));
  }
}

TEST(FactStore, TwoProcessesKeepEverything) {
  const testing::ScratchFolder folder;
  const auto fill = [&](const std::string& kind) {
    FactStore store(folder / "facts");
    for (int i = 0; i < 50; ++i) store.put({1, 2, "ab"}, kind, std::to_string(i), kind);
  };
  const pid_t child = ::fork();
  if (child == 0) {
    fill("b");
    ::_exit(0);
  }
  fill("a");
  ::waitpid(child, nullptr, 0);
  FactStore store(folder / "facts");
  for (const char* kind : {"a", "b"}) EXPECT_EQ(store.all({1, 2, "ab"}, kind).size(), 50U);
}

// What is kept of a probe is all that it found.
TEST(ClipInfoText, EverythingComesBack) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(20);
  settings.rotation = 90;
  settings.timecode = "01:02:03:04";
  settings.telemetry = "camera: Skerrel D3; iso: 1250";
  for (const bool varying : {false, true}) {
    if (varying) settings.dropped = {3, 4, 11};
    const ClipInfo info = probe(testing::makeFilm(folder / "a.mp4", settings));
    const std::string text = clipInfoToText(info);
    const auto back = clipInfoFromText(text);
    ASSERT_TRUE(back);
    EXPECT_EQ(clipInfoToText(*back), text);
    EXPECT_EQ(back->frames, info.frames);
    EXPECT_EQ(back->iso, info.iso);
    EXPECT_EQ(back->problems.size(), info.problems.size());
    EXPECT_EQ(back->colour, info.colour);
    for (int64_t i = 0; i <= info.frames; ++i) EXPECT_EQ(back->stampAt(i), info.stampAt(i)) << i;
  }
  for (const char* text : {"", "{}", "[1]", "{\"version\":1}"}) EXPECT_FALSE(clipInfoFromText(text)) << text;
}

}  // namespace
}  // namespace glenhaze
