#include "core/base/files.h"

#include <fcntl.h>
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <unistd.h>

#include <atomic>
#include <chrono>
#include <ctime>
#include <fstream>
#include <thread>

#include "core/base/error.h"
#include "core/base/parallel.h"
#include "core/base/queue.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

TEST(WriteFile, ReplacesWholeAndLeavesNothingElse) {
  const testing::ScratchFolder folder;
  const auto path = folder / "a “odd” %d name:.json";
  writeFileAtomically(path, "first");
  writeFileAtomically(path, "second");
  EXPECT_EQ(readFile(path), "second");
  EXPECT_EQ(std::distance(std::filesystem::directory_iterator(folder.path()), {}), 1);
}

TEST(WriteFile, FailsWithReasonAndKeepsTheOldFile) {
  const testing::ScratchFolder folder;
  try {
    writeFileAtomically(folder / "missing" / "file", "text");
    FAIL() << "wrote into a folder that is not there";
  } catch (const Error& error) {
    EXPECT_EQ(error.kind(), ErrorKind::Unwritable);
    EXPECT_FALSE(error.why().empty());
  }
}

// /dev/full is the kernel's own full disk: every write to it fails with ENOSPC.
TEST(WriteFile, SaysThatTheDiskIsFull) {
  const Descriptor full(::open("/dev/full", O_WRONLY));
  try {
    writeAll(full.fd, "text", "/card/f");
    FAIL() << "wrote to a full disk";
  } catch (const Error& error) {
    EXPECT_NE(std::string(error.what()).find("space"), std::string::npos) << error.what();
  }
}

TEST(WriteFile, ALinkStaysALinkAndPermissionsStay) {
  const testing::ScratchFolder folder;
  std::filesystem::create_directory(folder / "vault");
  writeFileAtomically(folder / "vault" / "real", "old");
  ::chmod((folder / "vault" / "real").c_str(), 0640);
  std::filesystem::create_symlink("vault/real", folder / "link");
  writeFileAtomically(folder / "link", "new");
  EXPECT_TRUE(std::filesystem::is_symlink(folder / "link"));
  EXPECT_EQ(readFile(folder / "vault" / "real"), "new");
  struct stat s {};
  ASSERT_EQ(::stat((folder / "vault" / "real").c_str(), &s), 0);
  EXPECT_EQ(s.st_mode & 07777U, 0640U);
}

// A file of the user's that happens to have a name like those that are being made.
TEST(WriteFile, NoOtherFileIsTouched) {
  const testing::ScratchFolder folder;
  const std::string theirs = "f.part-" + std::to_string(::getpid());
  writeFileAtomically(folder / theirs, "precious");
  writeFileAtomically(folder / "f", "text");
  EXPECT_EQ(readFile(folder / theirs), "precious");
}

TEST(ReadFile, DevicesPipesAndHugeFilesAreRefused) {
  const testing::ScratchFolder folder;
  ASSERT_EQ(::mkfifo((folder / "pipe").c_str(), 0600), 0);
  EXPECT_THROW(readFile(folder / "pipe"), Error);
  EXPECT_THROW(readFile("/dev/zero"), Error);
  writeFileAtomically(folder / "large", std::string(2000, 'x'));
  EXPECT_THROW(readFile(folder / "large", 1999), Error);
  EXPECT_EQ(readFile(folder / "large", 2000).size(), 2000U);
}

TEST(Identity, IsOfTheFileNotOfItsName) {
  const testing::ScratchFolder folder;
  writeFileAtomically(folder / "a", "1");
  writeFileAtomically(folder / "b", "1");
  std::filesystem::create_hard_link(folder / "a", folder / "hard");
  std::filesystem::create_symlink(folder / "a", folder / "soft");
  EXPECT_EQ(identityOf(folder / "a"), identityOf(folder / "hard"));
  EXPECT_EQ(identityOf(folder / "a"), identityOf(folder / "soft"));
  EXPECT_NE(identityOf(folder / "a"), identityOf(folder / "b"));
  EXPECT_FALSE(identityOf(folder / "missing"));
}

TEST(ReadFile, NamesWhatIsMissing) {
  EXPECT_THROW(readFile("/nowhere/at/all"), Error);
  EXPECT_THROW(readFile("/tmp"), Error);
}

TEST(UserFolder, FollowsTheBaseDirectorySpecification) {
  ::setenv("GLENHAZE_TEST_XDG", "/somewhere", 1);
  EXPECT_EQ(userFolder("GLENHAZE_TEST_XDG", ".config"), "/somewhere/glenhaze");
  // Relative values are to be ignored.
  ::setenv("GLENHAZE_TEST_XDG", "relative", 1);
  EXPECT_EQ(userFolder("GLENHAZE_TEST_XDG", ".config").string().front(), '/');
}

TEST(Parallel, VisitsEveryIndexOnceInFixedBlocks) {
  for (const int count : {0, 1, 7, 16, 17, 1000}) {
    std::vector<int> seen(static_cast<size_t>(count), 0);
    parallelBlocks(count, 16, [&](int first, int last) {
      EXPECT_EQ(first % 16, 0);
      for (int i = first; i < last; ++i) ++seen[static_cast<size_t>(i)];
    });
    for (const int n : seen) EXPECT_EQ(n, 1);
  }
}

TEST(Parallel, AnExceptionReachesTheCaller) {
  EXPECT_THROW(parallelBlocks(100, 1,
                              [](int i, int) {
                                if (i == 50) throw std::runtime_error("x");
                              }),
               std::runtime_error);
}

TEST(Parallel, BlocksAreTimedInOneThreadWhereThatIsAskedFor) {
  const auto here = std::this_thread::get_id();
  const auto spin = [] {
    const std::clock_t until = std::clock() + CLOCKS_PER_SEC / 50;
    while (std::clock() < until) {
    }
  };
  BlockTimes times;
  int next = 0;
  parallelBlocks(3, 1, [&](int first, int) {
    EXPECT_EQ(std::this_thread::get_id(), here);
    EXPECT_EQ(first, next++);
    if (first == 1) spin();
    // Blocks within a block are part of it.
    parallelBlocks(4, 1, [&](int, int) { EXPECT_EQ(std::this_thread::get_id(), here); });
  });
  ASSERT_EQ(times.calls.size(), 1U);
  ASSERT_EQ(times.calls[0].size(), 3U);
  EXPECT_GT(times.calls[0][1], 10 * times.calls[0][0]);
}

TEST(Queue, RoomIsAwaitedWithoutAValueInHand) {
  BoundedQueue<int> queue(1);
  EXPECT_TRUE(queue.awaitRoom());
  EXPECT_TRUE(queue.push(1));
  std::atomic<bool> room = false;
  std::jthread sender([&] { room = queue.awaitRoom(); });
  std::this_thread::sleep_for(std::chrono::milliseconds(20));
  EXPECT_FALSE(room) << "the queue is full";
  EXPECT_EQ(queue.pop(), 1);
  sender.join();
  EXPECT_TRUE(room);
  EXPECT_TRUE(queue.push(2));
  std::jthread closer([&] { queue.close(); });
  EXPECT_FALSE(queue.awaitRoom());
}

TEST(Queue, ClosingWakesBothSides) {
  BoundedQueue<int> queue(1);
  EXPECT_TRUE(queue.push(1));
  std::jthread sender([&] { EXPECT_FALSE(queue.push(2)); });
  std::this_thread::sleep_for(std::chrono::milliseconds(20));
  queue.close();
  sender.join();
  EXPECT_EQ(queue.pop(), 1);
  EXPECT_EQ(queue.pop(), std::nullopt);
}

}  // namespace
}  // namespace glenhaze
