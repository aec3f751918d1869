// Awake while a run works; told at its end, where nobody looks. The desktop is a stand-in.
#include "desktop/run/run_attendant.h"

#include <gtest/gtest.h>

#include "tests/desktop/wait.h"
#include "tests/support/footage.h"

namespace glenhaze::desktop {
namespace {

struct Calls {
  QStringList notes;
  int held = 0, released = 0;
};

class StandIn : public DesktopBus {
 public:
  explicit StandIn(Calls& calls) : calls_(calls) {}
  void notify(const QString& title, const QString& text) override {
    calls_.notes << title + QStringLiteral(": ") + text;
  }
  void hold(const QString&) override { ++calls_.held; }
  void release() override { ++calls_.released; }

 private:
  Calls& calls_;
};

class Attendant : public ::testing::Test {
 protected:
  void SetUp() override {
    testing::makeFilm(folder / "a.mp4", testing::smallFilm(4));
    Shoot shoot = shootFromFolder(folder.path());
    shoot.output.encode.codec = Codec::Ffv1;
    shoot.output.lens_on = shoot.output.noise_on = shoot.output.shutter_on = shoot.output.stabilization_on =
        false;
    shoot.output.size = {160, 90};
    saveShoot(shoot, folder / "s.glenhaze-shoot.json");
    session.open(QString::fromStdString(folder / "s.glenhaze-shoot.json"));
    ASSERT_TRUE(eventually([&] { return !session.probing(); }));
  }
  void run() {
    session.startRun();
    ASSERT_TRUE(eventually([&] { return !session.running(); }));
    QCoreApplication::processEvents();
  }
  testing::ScratchFolder folder;
  Session session;
  Calls calls;
};

TEST_F(Attendant, KeepsAwakeAndTellsWhoLooksAway) {
  const RunAttendant attendant(session, std::make_unique<StandIn>(calls), [] { return false; });
  run();
  EXPECT_EQ(calls.held, 1);
  EXPECT_EQ(calls.released, 1);
  ASSERT_EQ(calls.notes.size(), 1);
  EXPECT_EQ(calls.notes[0], QStringLiteral("The run has ended: 1 done"));
  std::filesystem::remove(folder / "a.mp4");
  std::filesystem::remove_all(folder / "rendered");
  run();
  ASSERT_EQ(calls.notes.size(), 2);
  EXPECT_TRUE(calls.notes[1].contains(QStringLiteral("1 failed"))) << calls.notes[1].toStdString();
  EXPECT_EQ(calls.held, calls.released);
}

TEST_F(Attendant, SaysNothingToWhoLooksOn) {
  const RunAttendant attendant(session, std::make_unique<StandIn>(calls), [] { return true; });
  run();
  EXPECT_EQ(calls.held, 1);
  EXPECT_TRUE(calls.notes.isEmpty());
}

// Where there is no bus, nothing happens, and nobody waits.
TEST(SessionBus, WithoutADesktopNothingHappens) {
  const auto bus = sessionBus();
  bus->hold(QStringLiteral("x"));
  bus->notify(QStringLiteral("x"), QStringLiteral("y"));
  bus->release();
}

}  // namespace
}  // namespace glenhaze::desktop
