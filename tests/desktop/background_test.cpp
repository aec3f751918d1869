// Work done elsewhere answers here, in its turn.
#include "desktop/background.h"

#include <gtest/gtest.h>

#include <QCoreApplication>

namespace glenhaze::desktop {
namespace {

// Work that has ended before run() is left answers by the event loop all the same: who calls it has not
// noted yet what it waits for.
TEST(InBackground, NothingComesBeforeRunIsLeft) {
  Background background;
  bool in_run = false;
  int early = 0, come = 0;
  constexpr int kTries = 3000;
  for (int i = 0; i < kTries; ++i) {
    in_run = true;
    background.run([&](const Progress&) -> Background::Finish {
      return [&] {
        early += in_run;
        ++come;
      };
    });
    in_run = false;
    while (come <= i) QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
  }
  EXPECT_EQ(early, 0);
}

}  // namespace
}  // namespace glenhaze::desktop
