#include "core/run/record.h"

#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <fstream>
#include <thread>

#include "core/base/error.h"
#include "core/base/files.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;

// Makes an output as a run does.
void make(RunRecord& record, const fs::path& output, const std::string& fingerprint,
          const std::string& text) {
  const fs::path temporary = record.begin(output, fingerprint, "source");
  writeFileAtomically(temporary, text);
  record.complete(temporary);
  fs::rename(temporary, output);
  record.published(temporary);
}

TEST(RunRecord, TellsWhatIsOursFromWhatIsNot) {
  const testing::ScratchFolder folder;
  RunRecord record(folder / "out");
  const fs::path output = folder / "out" / "a.mp4";
  EXPECT_EQ(record.standingOf(output, "f"), Standing::Free);
  make(record, output, "f", "picture");
  EXPECT_EQ(record.standingOf(output, "f"), Standing::Current);
  EXPECT_EQ(record.standingOf(output, "g"), Standing::Stale);
  std::ofstream(output, std::ios::app) << "more";
  EXPECT_EQ(record.standingOf(output, "f"), Standing::Changed);
  writeFileAtomically(folder / "out" / "b.mp4", "theirs");
  EXPECT_EQ(record.standingOf(folder / "out" / "b.mp4", "f"), Standing::Foreign);
  // A link that has our name, whatever it leads to.
  fs::remove(output);
  fs::create_symlink(folder / "out" / "b.mp4", output);
  EXPECT_EQ(record.standingOf(output, "f"), Standing::Foreign);
}

// Between the moment that an output gets its name and the one that the record knows of it, another run may
// look: it is not "changed".
TEST(RunRecord, WhatAnotherRunHasJustPublishedIsKnown) {
  const testing::ScratchFolder folder;
  RunRecord record(folder.path()), other(folder.path());
  const fs::path output = folder / "a.mp4";
  make(record, output, "old", "before");
  const fs::path temporary = record.begin(output, "new", "source");
  writeFileAtomically(temporary, "after");
  EXPECT_EQ(other.standingOf(output, "new"), Standing::Stale);
  record.complete(temporary);
  EXPECT_EQ(other.standingOf(output, "old"), Standing::Current) << "still the former one";
  fs::rename(temporary, output);
  EXPECT_EQ(other.standingOf(output, "new"), Standing::Current);
  record.published(temporary);
  EXPECT_EQ(other.standingOf(output, "new"), Standing::Current);
  EXPECT_EQ(other.standingOf(output, "old"), Standing::Stale);
}

TEST(RunRecord, AFolderIsOursOnlyAsLongAsNothingInItChanges) {
  const testing::ScratchFolder folder;
  RunRecord record(folder.path());
  const fs::path output = folder / "stills";
  const fs::path temporary = record.begin(output, "f", "source");
  fs::create_directory(temporary);
  writeFileAtomically(temporary / "1.png", "one");
  record.complete(temporary);
  fs::rename(temporary, output);
  record.published(temporary);
  EXPECT_EQ(record.standingOf(output, "f"), Standing::Current);
  writeFileAtomically(output / "notes.txt", "precious");
  EXPECT_EQ(record.standingOf(output, "f"), Standing::Changed);
}

// Runs `body` in a process of its own that is then gone, as if it had been killed.
void inAProcessThatDies(const std::function<void()>& body) {
  const pid_t child = ::fork();
  if (child == 0) {
    body();
    ::_exit(0);
  }
  int status = 0;
  ASSERT_EQ(::waitpid(child, &status, 0), child);
  ASSERT_EQ(status, 0);
}

TEST(RunRecord, WhatAKilledRunLeftIsKnownByTheRecordNotByItsName) {
  const testing::ScratchFolder folder;
  const fs::path out = folder / "out";
  // A file that looks as if it were ours, and one half-made, one whole but not yet named, one named but not
  // yet said.
  RunRecord{out};
  writeFileAtomically(unfinishedName(out, ".mp4"), "theirs");
  inAProcessThatDies([&] {
    RunRecord record(out);
    writeFileAtomically(record.begin(out / "half.mp4", "f", "s"), "ha");
    const fs::path whole = record.begin(out / "whole.mp4", "f", "s");
    writeFileAtomically(whole, "whole");
    record.complete(whole);
    const fs::path named = record.begin(out / "named.mp4", "f", "s");
    writeFileAtomically(named, "named");
    record.complete(named);
    fs::rename(named, out / "named.mp4");
  });
  RunRecord record(out);
  EXPECT_EQ(record.clearLeftovers(), 2);
  EXPECT_EQ(record.standingOf(out / "named.mp4", "f"), Standing::Current);
  EXPECT_EQ(record.standingOf(out / "whole.mp4", "f"), Standing::Free);
  int files = 0;
  for (const auto& entry : fs::directory_iterator(out))
    files += entry.path().filename().string().starts_with(kRecordName) ? 0 : 1;
  EXPECT_EQ(files, 2);  // theirs, and the one that has its name
  EXPECT_EQ(record.clearLeftovers(), 0);
}

TEST(RunRecord, WhatALivingRunMakesIsLeftAlone) {
  const testing::ScratchFolder folder;
  RunRecord record(folder.path());
  const fs::path growing = record.begin(folder / "a.mp4", "f", "s");
  writeFileAtomically(growing, "so far");
  // Whatever the process does meanwhile, it stays the same one.
  const std::vector<char> more(256U << 20, 'x');
  RunRecord other(folder.path());
  EXPECT_EQ(other.clearLeftovers(), 0);
  EXPECT_TRUE(fs::exists(growing));
  EXPECT_THROW(other.begin(folder / "a.mp4", "f", "s"), Error);
  record.dropped(growing);
  EXPECT_NO_THROW(other.begin(folder / "a.mp4", "f", "s"));
}

TEST(RunRecord, ATamperedRecordNamesNothingElseToBeRemoved) {
  const testing::ScratchFolder folder;
  RunRecord{folder.path()};
  writeFileAtomically(folder / "theirs.mp4", "precious");
  Database tampered(folder / kRecordName, "");
  for (const std::string name : {"", ".", "theirs.mp4", ".glenhaze-/../theirs.mp4"})
    tampered.run("INSERT OR REPLACE INTO work(temporary, name, host, process, begun) VALUES(?,?,?,?,?)",
                 {name, std::string("x"), std::string("elsewhere"), std::string("1 2 3"), int64_t{0}});
  RunRecord record(folder.path());
  EXPECT_EQ(record.clearLeftovers(), 0);
  EXPECT_EQ(readFile(folder / "theirs.mp4"), "precious");
}

TEST(RunRecord, TwoProcessesLoseNothing) {
  const testing::ScratchFolder folder;
  constexpr int kEach = 30;
  const auto fill = [&](const std::string& name) {
    RunRecord record(folder.path());
    for (int i = 0; i < kEach; ++i) make(record, folder / (name + std::to_string(i)), "f", name);
  };
  const pid_t child = ::fork();
  if (child == 0) {
    fill("b");
    ::_exit(0);
  }
  fill("a");
  int status = 0;
  ASSERT_EQ(::waitpid(child, &status, 0), child);
  ASSERT_EQ(status, 0);
  RunRecord record(folder.path());
  for (int i = 0; i < kEach; ++i)
    for (const char* name : {"a", "b"})
      EXPECT_EQ(record.standingOf(folder / (name + std::to_string(i)), "f"), Standing::Current) << name << i;
}

TEST(RunRecord, ADamagedRecordIsPutAsideAndNothingIsOursAnyMore) {
  const testing::ScratchFolder folder;
  {
    RunRecord record(folder.path());
    make(record, folder / "a.mp4", "f", "picture");
  }
  std::ofstream(folder / kRecordName, std::ios::trunc) << std::string(5000, 'x');
  RunRecord record(folder.path());
  EXPECT_EQ(record.standingOf(folder / "a.mp4", "f"), Standing::Foreign);
  EXPECT_TRUE(fs::exists(folder / (std::string(kRecordName) + ".damaged")));
  make(record, folder / "b.mp4", "f", "picture");
  EXPECT_EQ(record.standingOf(folder / "b.mp4", "f"), Standing::Current);
}

}  // namespace
}  // namespace glenhaze
