#include "desktop/session.h"

#include <gtest/gtest.h>

#include <QSignalSpy>

#include "core/base/error.h"
#include "core/media/clip_info.h"
#include "core/profile/edit.h"
#include "tests/desktop/wait.h"
#include "tests/support/footage.h"

namespace glenhaze::desktop {
namespace {

namespace fs = std::filesystem;

class SessionTest : public ::testing::Test {
 protected:
  void SetUp() override {
    testing::makeFilm(folder_ / "a.mp4", testing::smallFilm(6));
    testing::makeFilm(folder_ / "b.mp4", testing::smallFilm(9));
    session_.openFolder(QString::fromStdString(folder_.path().string()));
    settle();
  }
  void settle() {
    ASSERT_TRUE(eventually([&] { return !session_.probing(); }));
  }
  const ClipPlan& plan(const std::string& name) const {
    for (const ClipPlan& p : session_.plans())
      if (p.info.path.filename() == name) return p;
    throw std::runtime_error("no such clip");
  }

  testing::ScratchFolder folder_;
  Session session_;
};

TEST_F(SessionTest, AFolderBecomesAShootOfItsFootage) {
  ASSERT_EQ(session_.plans().size(), 2U);
  EXPECT_EQ(plan("a.mp4").info.frames, 6);
  EXPECT_EQ(plan("b.mp4").info.frames, 9);
  EXPECT_EQ(session_.currentClip(), 0);
  EXPECT_TRUE(session_.isModified());
}

// In this shoot and the next; what is said of one clip alone stays with it.
TEST_F(SessionTest, ACameraIsNamedOnceForClipsThatLookAlike) {
  auto nameless = testing::smallFilm(4);
  nameless.make = nameless.model = "";
  for (const char* name : {"monday/VISITOR_007.mp4", "monday/VISITOR_008.mp4", "monday/GUEST_001.mp4",
                           "tuesday/VISITOR_012.mp4"}) {
    fs::create_directories((folder_ / name).parent_path());
    testing::makeFilm(folder_ / name, nameless);
  }
  const auto openAs = [&](const char* name) {
    session_.openFolder(QString::fromStdString((folder_ / name).string()));
    settle();
  };
  const auto named = [&](const std::string& name) {
    return answerOf(session_.shoot(), plan(name).clip, plan(name).info);
  };
  openAs("monday");
  const auto at = [&](const std::string& name) {
    int clip = 0;
    while (session_.plans()[static_cast<size_t>(clip)].info.path.filename() != name) ++clip;
    return clip;
  };
  session_.answer(at("GUEST_001.mp4"), {"Of a guest", "", "", "", {}}, Session::AnswerFor::ThisClip);
  session_.answer(at("VISITOR_007.mp4"), {"Tern P2", "wide", "", "", {}}, Session::AnswerFor::AllAlike);
  EXPECT_EQ(named("VISITOR_008.mp4").camera, "Tern P2");
  EXPECT_FALSE(named("VISITOR_008.mp4").remembered);
  EXPECT_EQ(named("GUEST_001.mp4").camera, "Of a guest");
  session_.undoStack().undo();
  EXPECT_EQ(named("VISITOR_008.mp4").camera, "");
  openAs("tuesday");
  EXPECT_EQ(named("VISITOR_012.mp4").camera, "Tern P2");
  EXPECT_EQ(named("VISITOR_012.mp4").view, "wide");
  EXPECT_TRUE(named("VISITOR_012.mp4").remembered);
}

TEST_F(SessionTest, EditsAreUndoneOneByOne) {
  QSignalSpy changed(&session_, &Session::changed);
  session_.edit(QStringLiteral("one"), [](Shoot& s) { s.clips[1].lens_on = false; });
  session_.edit(QStringLiteral("two"), [](Shoot& s) { s.clips.erase(s.clips.begin()); });
  EXPECT_EQ(session_.plans().size(), 1U);
  EXPECT_EQ(changed.count(), 2);
  session_.undoStack().undo();
  ASSERT_EQ(session_.plans().size(), 2U);
  EXPECT_FALSE(session_.shoot().clips[1].lens_on);
  session_.undoStack().undo();
  EXPECT_TRUE(session_.shoot().clips[1].lens_on);
  session_.undoStack().redo();
  EXPECT_FALSE(session_.shoot().clips[1].lens_on);
}

// The file that a shoot is kept in is no step of undo.
TEST_F(SessionTest, UndoneBehindASaveItStaysTheSavedShoot) {
  session_.edit(QStringLiteral("one"), [](Shoot& s) { s.clips[1].lens_on = false; });
  const fs::path file = folder_ / "s.glenhaze-shoot.json";
  session_.save(QString::fromStdString(file.string()));
  EXPECT_FALSE(session_.isModified());
  session_.undoStack().undo();
  EXPECT_TRUE(session_.isModified());
  EXPECT_EQ(session_.shoot().path, file);
  session_.save(QString::fromStdString(file.string()));
  EXPECT_TRUE(loadShoot(file).clips[1].lens_on);
}

TEST_F(SessionTest, TheSameFileIsBroughtInOnce) {
  EXPECT_EQ(session_.addPaths({QString::fromStdString((folder_ / "a.mp4").string())}), 0);
  testing::makeFilm(folder_ / "c.mp4", testing::smallFilm(3));
  EXPECT_EQ(session_.addPaths({QString::fromStdString(folder_.path().string())}), 1);
  settle();
  EXPECT_EQ(plan("c.mp4").info.frames, 3);
}

// They are planned with some hundreds at a time; in the end every one is known, with a name of its own, as if
// all had been known at once.
TEST_F(SessionTest, VeryManyFilesAreAllKnownInTheEnd) {
  constexpr int kFiles = 620;
  const fs::path folder = folder_ / "card";
  for (int i = 0; i < kFiles; ++i) {
    // Every other name twice, in folders of their own.
    const fs::path file =
        folder / std::to_string(i % 2) /
        ("clip" + std::to_string(i / 2 * (i % 4 < 2 ? 1 : 2)) + (i % 4 == 3 ? "x" : "") + ".mp4");
    fs::create_directories(file.parent_path());
    if (!fs::exists(file)) fs::create_hard_link(folder_ / "a.mp4", file);
  }
  session_.openFolder(QString::fromStdString((folder / "0").string()));
  session_.addPaths({QString::fromStdString((folder / "1").string())});
  ASSERT_GT(session_.plans().size(), 500U);
  settle();
  std::vector<ClipFacts> facts;
  for (const ClipPlan& p : session_.plans()) {
    EXPECT_EQ(p.info.frames, 6) << p.info.path;
    facts.push_back(p.facts);
  }
  const std::vector<ClipPlan> at_once = planShoot(session_.shoot(), facts, session_.profiles());
  for (size_t i = 0; i < at_once.size(); ++i)
    ASSERT_EQ(session_.plans()[i].job.place.path, at_once[i].job.place.path) << i;
}

TEST_F(SessionTest, AClipThatVanishesAndComesBackIsFollowed) {
  ASSERT_TRUE(plan("a.mp4").info.readable());
  // Brought in a moment ago: the watch waits until it is sure that it is at rest.
  QTest::qWait(400);
  fs::rename(folder_ / "a.mp4", folder_ / "gone.bin");
  ASSERT_TRUE(eventually([&] { return !plan("a.mp4").info.readable() && !session_.probing(); }));
  EXPECT_TRUE(plan("a.mp4").failed);
  // Copied again from the card, and another one this time.
  testing::makeFilm(folder_ / "a.mp4", testing::smallFilm(12));
  ASSERT_TRUE(eventually([&] { return plan("a.mp4").info.frames == 12; }));
  EXPECT_TRUE(plan("a.mp4").info.readable());
  EXPECT_EQ(plan("b.mp4").info.frames, 9);
}

TEST_F(SessionTest, AProfileIsPutAndTakenBackWithItsFile) {
  session_.save(QString::fromStdString((folder_ / "s.glenhaze-shoot.json").string()));
  Profile profile = session_.profileFor(0);
  EXPECT_EQ(profile.camera.name, "Limpet A1");
  LensPart lens;
  lens.lens = testing::testLens(LensModel::BrownConrady, 320, 180);
  lens.rms_px = 0.2;
  profile.lens = lens;
  session_.putProfile(QStringLiteral("lens"), profile);
  ASSERT_EQ(session_.profiles().size(), 1U);
  const fs::path file = session_.profiles()[0].path;
  EXPECT_TRUE(fs::exists(file));
  EXPECT_EQ(plan("a.mp4").match.kind, MatchKind::Exact);
  session_.undoStack().undo();
  EXPECT_FALSE(fs::exists(file));
  EXPECT_EQ(plan("a.mp4").match.kind, MatchKind::None);
  session_.undoStack().redo();
  EXPECT_TRUE(fs::exists(file));
}

TEST_F(SessionTest, AShootThatIsNoneChangesNothing) {
  testing::makeFilm(folder_ / "x.mp4", testing::smallFilm(2));
  EXPECT_THROW(session_.open(QString::fromStdString((folder_ / "x.mp4").string())), Error);
  EXPECT_THROW(session_.open(QStringLiteral("/nowhere/s.glenhaze-shoot.json")), Error);
  EXPECT_EQ(session_.plans().size(), 2U);
}

TEST_F(SessionTest, ARunIsOfTheShootItWasStartedFor) {
  session_.edit(QStringLiteral("out"), [](Shoot& s) {
    s.output.encode.codec = Codec::Ffv1;
    s.output.lens_on = false;
    s.output.size = {160, 90};
  });
  session_.startRun();
  ASSERT_TRUE(eventually([&] { return !session_.running(); }));
  ASSERT_NE(session_.runItemOf(folder_ / "a.mp4"), nullptr);
  EXPECT_EQ(session_.runItemOf(folder_ / "a.mp4")->state, RunState::Done);
  EXPECT_EQ(session_.runItemOf(folder_ / "nothing.mp4"), nullptr);
  session_.newShoot();
  EXPECT_EQ(session_.batch(), nullptr);
  EXPECT_TRUE(session_.runItems().empty());
}

}  // namespace
}  // namespace glenhaze::desktop
