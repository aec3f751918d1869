#include "desktop/footage_watch.h"

#include <gtest/gtest.h>

#include <QSignalSpy>
#include <fstream>

#include "tests/desktop/wait.h"
#include "tests/support/footage.h"

namespace glenhaze::desktop {
namespace {

namespace fs = std::filesystem;

class FootageWatching : public ::testing::Test {
 protected:
  testing::ScratchFolder folder_;
  FootageWatch watch_;
  QSignalSpy spy_{&watch_, &FootageWatch::changed};

  fs::path write(const std::string& name, const std::string& text) {
    std::ofstream(folder_ / name) << text;
    return folder_ / name;
  }
  // As a card that was filled an hour ago.
  fs::path old(const std::string& name) {
    const fs::path path = write(name, "first");
    fs::last_write_time(path, fs::file_time_type::clock::now() - std::chrono::hours(1));
    return path;
  }
  bool told(const fs::path& path) const {
    for (const auto& one : spy_)
      if (one[0].toString().toStdString() == path.string()) return true;
    return false;
  }
};

TEST_F(FootageWatching, AFileThatVanishesAndComesBackIsToldOfBothTimes) {
  const fs::path a = old("a.mp4"), b = old("b.mp4");
  watch_.setFiles({a, b});
  QTest::qWait(500);
  EXPECT_EQ(spy_.count(), 0);
  fs::remove(a);
  ASSERT_TRUE(eventually([&] { return told(a); }));
  spy_.clear();
  write("a.mp4", "second, longer");
  ASSERT_TRUE(eventually([&] { return told(a); }));
  EXPECT_FALSE(told(b));
}

TEST_F(FootageWatching, AFileThatGrowsIsToldOfWhenItHasComeToRest) {
  const fs::path a = write("a.mp4", "just now");
  watch_.setFiles({a});
  for (int i = 0; i < 4; ++i) {
    QTest::qWait(600);
    std::ofstream(a, std::ios::app) << "more and more";
    EXPECT_EQ(spy_.count(), 0) << "while it is written";
  }
  ASSERT_TRUE(eventually([&] { return told(a); }));
  QTest::qWait(1500);
  EXPECT_EQ(spy_.count(), 1);
}

TEST_F(FootageWatching, WhatTheDiskDidNotTellIsFoundByLookingAgain) {
  const fs::path a = old("a.mp4");
  watch_.setFiles({a});
  QTest::qWait(500);
  // Written into without the folder changing.
  std::ofstream(a, std::ios::app) << "more";
  watch_.lookAgain();
  ASSERT_TRUE(eventually([&] { return told(a); }));
}

TEST_F(FootageWatching, FilesThatLeftTheShootAreNotToldOf) {
  const fs::path a = old("a.mp4"), b = old("b.mp4");
  watch_.setFiles({a, b});
  watch_.setFiles({b});
  fs::remove(a);
  fs::remove(b);
  ASSERT_TRUE(eventually([&] { return told(b); }));
  EXPECT_FALSE(told(a));
}

}  // namespace
}  // namespace glenhaze::desktop
