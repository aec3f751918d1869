#include "desktop/compare/compare_state.h"

#include <gtest/gtest.h>

#include <QSignalSpy>

#include "core/profile/edit.h"
#include "core/run/ask.h"
#include "tests/desktop/wait.h"
#include "tests/support/footage.h"
#include "tests/support/noise.h"

namespace glenhaze::desktop {
namespace {

class Comparing : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    footage_ = std::make_unique<testing::ScratchFolder>();
    const auto tiny = testing::smallCamera(LensModel::BrownConrady, 128, 72);
    testing::makeFilm(*footage_ / "a.mp4", testing::smallFilm(10), tiny);
    testing::makeFilm(*footage_ / "b.mp4", testing::smallFilm(100), tiny);
    auto cut = testing::smallFilm(30);
    cut.keep_share = 0.5;
    testing::makeFilm(*footage_ / "cut.mp4", cut, tiny);
  }
  static void TearDownTestSuite() { footage_.reset(); }
  void SetUp() override {
    for (const char* name : {"a.mp4", "b.mp4", "cut.mp4"})
      std::filesystem::copy_file(*footage_ / name, folder_ / name);
    session_.openFolder(QString::fromStdString(folder_.path().string()));
    session_.save(QString::fromStdString((folder_ / "s.glenhaze-shoot.json").string()));
    ASSERT_TRUE(eventually([&] { return !session_.probing(); }));
    Profile profile = session_.profileFor(0);
    LensPart lens;
    lens.lens = testing::smallCamera(LensModel::BrownConrady, 128, 72).lens;
    profile.lens = lens;
    NoisePart noise;
    noise.entries.emplace_back().curve = testing::evenCurve(3, 3, 400);
    profile.noise = noise;
    session_.putProfile(QStringLiteral("profile"), profile);
  }

  static inline std::unique_ptr<testing::ScratchFolder> footage_;
  testing::ScratchFolder folder_;
  Session session_;
  CompareState state_{session_};
};

TEST_F(Comparing, WorksOnlyWhileItIsLookedAt) {
  QSignalSpy changed(&state_, &CompareState::changed);
  session_.edit(QStringLiteral("x"), [](Shoot& s) { s.clips[0].lens_amount = 0.5; });
  EXPECT_EQ(changed.count(), 0);
  EXPECT_FALSE(state_.hasClip());
  state_.setActive(true);
  EXPECT_GT(changed.count(), 0);
  ASSERT_TRUE(state_.hasClip());
  EXPECT_EQ(state_.correction().lens_amount, 0.5);
}

TEST_F(Comparing, LooksAtTheMiddleOfAClipFirstAndStaysInIt) {
  state_.setActive(true);
  EXPECT_EQ(state_.frame(), 5);
  EXPECT_EQ(state_.loop().first, 0);
  EXPECT_EQ(state_.loop().last, 10);
  state_.goTo(99);
  EXPECT_EQ(state_.frame(), 9);
  state_.goTo(-4);
  EXPECT_EQ(state_.frame(), 0);
  session_.setCurrentClip(1);
  EXPECT_EQ(state_.frame(), 50);
  EXPECT_EQ(state_.loop().last - state_.loop().first, 90);
  EXPECT_LE(state_.loop().first, 50);
}

TEST_F(Comparing, SaysWhenWhatIsShownIsAnothersOrOutOfDate) {
  state_.setActive(true);
  QSignalSpy clip(&state_, &CompareState::clipChanged), correction(&state_, &CompareState::correctionChanged);
  session_.setCurrentClip(1);
  EXPECT_EQ(clip.count(), 1);
  EXPECT_EQ(correction.count(), 1);
  // Of the other clip: nothing here changes.
  session_.edit(QStringLiteral("x"), [](Shoot& s) { s.clips[0].lens_on = false; });
  EXPECT_EQ(correction.count(), 1);
  session_.edit(QStringLiteral("x"), [](Shoot& s) { s.clips[1].fill = 0.3; });
  EXPECT_EQ(clip.count(), 1);
  EXPECT_EQ(correction.count(), 2);
  // In and out points leave every picture as it is.
  state_.setIn();
  EXPECT_EQ(correction.count(), 2);
}

TEST_F(Comparing, WhatCannotBeReadLeavesNothingOfTheClipBefore) {
  state_.setActive(true);
  ASSERT_TRUE(state_.hasClip());
  QSignalSpy clip(&state_, &CompareState::clipChanged);
  session_.setCurrentClip(2);
  EXPECT_FALSE(state_.hasClip());
  EXPECT_EQ(clip.count(), 1);
  EXPECT_TRUE(state_.message().contains(QStringLiteral("cut off")));
  EXPECT_TRUE(state_.path().empty());
  // Unless what is readable of it is wanted.
  session_.edit(QStringLiteral("x"), [](Shoot& s) { s.clips[2].hold_damage = true; });
  EXPECT_TRUE(state_.hasClip());
  EXPECT_EQ(state_.reading().damage, Damage::Hold);
}

TEST_F(Comparing, InAndOutPoints) {
  state_.setActive(true);
  const auto range = [&] { return session_.shoot().clips[0].range; };
  state_.goTo(3);
  state_.setIn();
  EXPECT_EQ(*range(), (FrameRange{3, 10}));
  state_.goTo(6);
  state_.setOut();
  EXPECT_EQ(*range(), (FrameRange{3, 7}));
  // An in point behind the out point goes to the end, an out point before the in point from the start.
  state_.goTo(8);
  state_.setIn();
  EXPECT_EQ(*range(), (FrameRange{8, 10}));
  state_.goTo(2);
  state_.setOut();
  EXPECT_EQ(*range(), (FrameRange{0, 3}));
  state_.clearRange();
  EXPECT_FALSE(range());
}

TEST_F(Comparing, NoiseSettingsOfAClipBecomeTheCameras) {
  state_.setActive(true);
  ASSERT_TRUE(state_.correction().noise);
  DenoiseSettings settings;
  settings.luma = 0.6;
  state_.setDenoise(settings);
  EXPECT_EQ(state_.correction().denoise.luma, 0.6);
  state_.keepForCamera();
  EXPECT_EQ(session_.profiles()[0].noise->denoise.luma, 0.6);
  EXPECT_FALSE(session_.shoot().clips[0].denoise);
  EXPECT_EQ(state_.correction().denoise.luma, 0.6);
}

TEST_F(Comparing, TheStrengthThatKeepsStructureIsFoundInTheBackground) {
  state_.setActive(true);
  state_.findStrength();
  EXPECT_TRUE(state_.searching());
  ASSERT_TRUE(eventually([&] { return !state_.searching(); }));
  ASSERT_TRUE(session_.shoot().clips[0].denoise);
  EXPECT_GE(session_.shoot().clips[0].denoise->luma, 0);
}

TEST_F(Comparing, FlickerIsMeasuredOnceAndKeptBesideTheShoot) {
  state_.setActive(true);
  DenoiseSettings settings;
  settings.flicker = 1;
  state_.setDenoise(settings);
  EXPECT_FALSE(state_.flickerText().isEmpty());
  ASSERT_TRUE(eventually([&] { return state_.correction().flicker.has_value(); }));
  const FlickerPath found = *state_.correction().flicker;
  // Known at once to whoever asks the store.
  const ClipPlan& plan = session_.plans()[0];
  std::stop_source stop;
  stop.request_stop();
  Progress stopped;
  stopped.stop = stop.get_token();
  EXPECT_EQ(glenhaze::flickerOf(plan, *session_.store(), stopped), found);
}

}  // namespace
}  // namespace glenhaze::desktop
