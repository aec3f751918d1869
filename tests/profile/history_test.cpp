// What profiles were before, and several of them in one .zip.
#include "core/profile/history.h"

#include <gtest/gtest.h>

#include <cstdlib>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/profile/bundle.h"
#include "core/profile/edit.h"
#include "tests/support/footage.h"
#include "tests/support/profiles.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;

Profile limpet(double k1 = -0.2) {
  Profile p = testing::limpetProfile();
  p.lens->lens.k[0] = k1;
  return p;
}

TEST(History, EachChangeIsAStepThatCanBeBroughtBack) {
  const testing::ScratchFolder folder;
  const fs::path file = folder / "a.glenhaze.json";
  createProfile(limpet(), file, ExistingProfile::Refuse);
  EXPECT_TRUE(historyOf(file).empty()) << "nothing was there before";
  const std::string first = readFile(file);
  changeProfile(file, [](Profile& p) { p.note = "measured in the yard"; });
  const std::string second = readFile(file);
  changeProfile(file, [](Profile& p) {
    p.lens->lens.k[0] = -0.1;
    p.shutter = shutterPartByHand({0.015, ScanDirection::Down});
  });
  changeProfile(file, [](Profile&) {});  // no change, no step
  const auto steps = historyOf(file);
  ASSERT_EQ(steps.size(), 2U);
  EXPECT_EQ(steps[0].text, second);
  EXPECT_EQ(steps[0].changed, "lens, shutter");
  EXPECT_EQ(steps[1].text, first);
  EXPECT_EQ(steps[1].changed, "note");
  EXPECT_GT(steps[0].at_s, 1700000000);
  // Of this file alone.
  createProfile(limpet(), folder / "b.glenhaze.json", ExistingProfile::Refuse);
  EXPECT_TRUE(historyOf(folder / "b.glenhaze.json").empty());
}

TEST(History, TheOldestGoAndAHistoryThatCannotBeWrittenHindersNobody) {
  const testing::ScratchFolder folder;
  const fs::path file = folder / "a.glenhaze.json";
  createProfile(limpet(), file, ExistingProfile::Refuse);
  for (int i = 0; i < 105; ++i) changeProfile(file, [&](Profile& p) { p.note = std::to_string(i); });
  const auto steps = historyOf(file);
  EXPECT_EQ(steps.size(), 100U);
  EXPECT_EQ(parseProfile(steps[0].text, "").note, "103");
  fs::remove(folder / kHistoryName);
  fs::create_directory(folder / kHistoryName);  // nobody can write a file there
  EXPECT_NO_THROW(changeProfile(file, [](Profile& p) { p.note = "still"; }));
  EXPECT_EQ(loadProfile(file).note, "still");
  EXPECT_TRUE(historyOf(file).empty());
}

TEST(Bundle, ProfilesComeBackAsTheyWereSent) {
  const testing::ScratchFolder folder;
  fs::create_directory(folder / "other");
  std::vector<fs::path> files;
  for (const auto& [name, k1] : {std::pair("a", -0.2), std::pair("b", -0.1), std::pair("other/a", -0.3)}) {
    files.push_back(folder / (std::string(name) + ".glenhaze.json"));
    createProfile(limpet(k1), files.back(), ExistingProfile::Refuse);
  }
  writeBundle(files, folder / "all.zip");
  const auto back = readBundle(folder / "all.zip");
  ASSERT_EQ(back.size(), 3U) << "also two of one name";
  EXPECT_EQ(back[0].lens->lens, limpet(-0.2).lens->lens);
  EXPECT_EQ(back[2].lens->lens, limpet(-0.3).lens->lens);
  EXPECT_TRUE(back[0].path.empty());
  writeBundle(files, folder / "again.zip");
  EXPECT_EQ(readFile(folder / "all.zip"), readFile(folder / "again.zip"));
  // Another program reads it: Python's zipfile, an implementation of its own.
  EXPECT_EQ(
      std::system(("python3 -m zipfile -t '" + (folder / "all.zip").string() + "' > /dev/null").c_str()), 0);
}

TEST(Bundle, WhatIsNoBundleIsRefused) {
  const testing::ScratchFolder folder;
  const auto refused = [&](const std::string& bytes) {
    writeFileAtomically(folder / "x.zip", bytes);
    try {
      readBundle(folder / "x.zip");
    } catch (const Error& error) {
      return error.kind() == ErrorKind::Unreadable;
    }
    return false;
  };
  EXPECT_TRUE(refused(""));
  EXPECT_TRUE(refused("no zip at all"));
  createProfile(limpet(), folder / "a.glenhaze.json", ExistingProfile::Refuse);
  const std::vector<fs::path> one{folder / "a.glenhaze.json"};
  writeBundle(one, folder / "ok.zip");
  const std::string whole = readFile(folder / "ok.zip");
  EXPECT_FALSE(refused(whole));
  EXPECT_TRUE(refused(whole.substr(0, whole.size() / 2)));
  // A .zip of something else.
  ASSERT_EQ(std::system(("cd '" + folder.path().string() +
                         "' && echo hello > note.txt && python3 -m zipfile -c note.zip note.txt")
                            .c_str()),
            0);
  EXPECT_TRUE(refused(readFile(folder / "note.zip")));
  // What is sent must be profiles.
  const std::vector<fs::path> note{folder / "note.txt"};
  EXPECT_THROW(writeBundle(note, folder / "y.zip"), Error);
  EXPECT_FALSE(fs::exists(folder / "y.zip"));
}

}  // namespace
}  // namespace glenhaze
