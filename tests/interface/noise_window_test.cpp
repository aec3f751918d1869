// Noise in the real window: measured, put into the profile, judged and set.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>

#include "core/treat/iso.h"
#include "desktop/compare/variant_board.h"
#include "desktop/noise_speeds.h"
#include "tests/interface/window_fixture.h"
#include "tests/support/noise.h"

namespace glenhaze::desktop {
namespace {

// Noise from the shot to the ledger: measured on the bench, put into the profile, seen in Compare, undone.
TEST_F(Window, NoiseIsMeasuredPutIntoTheProfileAndRemoved) {
  // Large enough for places of the mill that are flat.
  sim::CameraSetup camera = testing::smallCamera(LensModel::BrownConrady, 640, 360);
  camera.noise = sim::sensorNoiseAt(1600);
  auto film = testing::smallFilm(10);
  film.iso = 1600;
  film.bit_rate = 0;
  sim::writeFilm(folder / "still.mp4", {camera, sim::millScene(), [](double) { return sim::Pose{}; }}, film);
  open(true);
  Session& session = window->session();
  const auto clip = [&] {
    for (size_t i = 0; i < session.plans().size(); ++i)
      if (session.plans()[i].info.path.filename() == "still.mp4") return static_cast<int>(i);
    return -1;
  }();
  ASSERT_GE(clip, 0);
  session.setCurrentClip(clip);
  EXPECT_EQ(session.plans()[static_cast<size_t>(clip)].noise.kind, Coverage::Missing);
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  bench.setStation(BenchPlace::Noise);
  ASSERT_TRUE(bench.chooseShot(QStringLiteral("still.mp4")));
  EXPECT_EQ(bench.noise().state().iso(), 1600);
  bench.noise().state().measure();
  ASSERT_TRUE(eventually([&] { return !bench.noise().state().busy(); }));
  ASSERT_TRUE(bench.noise().state().finding()) << bench.noise().state().trouble().toStdString();
  bench.putIntoProfile();
  const ClipPlan& covered = session.plans()[static_cast<size_t>(clip)];
  EXPECT_EQ(covered.noise.kind, Coverage::Measured) << covered.noise.reason;
  EXPECT_TRUE(covered.job.correction.noise);
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  ASSERT_TRUE(compare.shown().removal);
  ASSERT_TRUE(compare.shown().removal->noise_left);
  EXPECT_LT(*compare.shown().removal->noise_left, 0.9);
  // Switched off for the clip, and back.
  session.undoStack().undo();
  EXPECT_EQ(session.plans()[static_cast<size_t>(clip)].noise.kind, Coverage::Missing);
}

// A clip that is taken as it is measures its own noise in the run; one press makes that its camera's.
TEST_F(Window, AClipsOwnNoiseBecomesItsCameras) {
  sim::CameraSetup camera = testing::smallCamera(LensModel::BrownConrady, 640, 360);
  camera.noise = sim::sensorNoiseAt(1600);
  auto film = testing::smallFilm(10);
  film.iso = 1600;
  sim::writeFilm(folder / "one.mp4", {camera, sim::millScene(), [](double) { return sim::Pose{}; }}, film);
  openWithFilm(false);
  Session& session = window->session();
  session.edit(QStringLiteral("as it is"), [](Shoot& s) { s.clips[0].by_itself = true; });
  session.startRun();
  ASSERT_TRUE(eventually([&] { return !session.running(); }));
  ASSERT_TRUE(eventually([&] { return ownNoiseOf(session.plans()[0].facts).has_value(); }))
      << session.plans()[0].noise.reason;
  EXPECT_EQ(session.plans()[0].noise.kind, Coverage::Estimated);
  const NoiseCurve own = *ownNoiseOf(session.plans()[0].facts);
  window->shootPlace().keepNoiseOf(0);
  const Profile kept = session.profileFor(0);
  ASSERT_TRUE(kept.noise);
  ASSERT_EQ(kept.noise->entries.size(), 1U);
  EXPECT_EQ(kept.noise->entries[0].curve.iso, 1600);
  EXPECT_NEAR(kept.noise->entries[0].curve.sigmaAt(0, 110), own.sigmaAt(0, 110), 1e-3);
  EXPECT_EQ(kept.noise->entries[0].evidence.at(0).source, "one.mp4");
  EXPECT_EQ(session.plans()[0].noise.kind, Coverage::Measured) << session.plans()[0].noise.reason;
  session.undoStack().undo();
  EXPECT_FALSE(session.profileFor(0).noise);
}

TEST_F(Window, PatchesAreJudgedAsTheyAreDrawn) {
  open(true);
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  bench.setStation(BenchPlace::Noise);
  ASSERT_TRUE(bench.chooseShot(QStringLiteral("one.mp4")));
  NoiseState& state = bench.noise().state();
  state.setWay(NoiseState::Way::Patches);
  ASSERT_TRUE(eventually([&] { return !state.cells().empty(); }));
  state.addPatch({2, 2, 8, 8});
  ASSERT_EQ(state.patches().size(), 1U);
  EXPECT_FALSE(state.patchUsed(0));
  EXPECT_NE(state.patches()[0].why.find("too small"), std::string::npos);
  state.removePatch(0);
  EXPECT_TRUE(state.patches().empty());
  EXPECT_FALSE(state.entry());
}

TEST_F(Window, TheIsoCanBeSaidAndToldByNoise) {
  open(true);
  Session& session = window->session();
  session.edit(QStringLiteral("say"), [](Shoot& s) { s.clips[0].iso = 800; });
  const auto iso = isoOf(session.shoot(), session.plans()[0].clip, session.plans()[0].info);
  ASSERT_TRUE(iso);
  EXPECT_EQ(iso->iso, 800);
  EXPECT_EQ(iso->from, ClipIso::From::Hand);
  // Without a curve nothing is guessed.
  window->shootPlace().estimateIsoOf({0});
  ASSERT_TRUE(eventually([&] { return !window->shootPlace().busy(); }));
  EXPECT_FALSE(session.shoot().clips[0].iso_estimate);
}

// A shoot whose camera has a noise curve for its clips' ISO.
class NoisyWindow : public Window {
 protected:
  void openNoisy() {
    open(true);
    Session& session = window->session();
    session.setCurrentClip(0);
    Profile profile = session.profileFor(0);
    profile.noise.emplace();
    for (const double iso : {400.0, 1600.0}) {
      NoiseEntry e;
      e.curve = testing::evenCurve(iso / 200, iso / 200, iso);
      profile.noise->put(e);
    }
    session.putProfile(QStringLiteral("noise"), profile);
  }
};

TEST_F(NoisyWindow, VariantsStandSideBySideAndOneIsTaken) {
  openNoisy();
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  QTest::keyClick(&compare, Qt::Key_V);
  VariantBoard& board = compare.board();
  ASSERT_TRUE(eventually([&] { return board.settled(); }));
  ASSERT_EQ(board.variants().size(), 4U);
  // Each tile says in what it differs from what is set.
  EXPECT_EQ(differenceText(board.variants()[0], board.variants()[0]), QStringLiteral("as set"));
  EXPECT_TRUE(differenceText(board.variants()[1], board.variants()[0]).contains(QStringLiteral("luma")));
  const DenoiseSettings wanted = board.variants()[2];
  auto uses = board.findChildren<QPushButton*>();
  uses.erase(
      std::remove_if(uses.begin(), uses.end(), [](auto* b) { return b->text() != QStringLiteral("Use"); }),
      uses.end());
  ASSERT_EQ(uses.size(), 3);
  uses[1]->click();
  ASSERT_TRUE(window->session().shoot().clips[0].denoise);
  EXPECT_EQ(*window->session().shoot().clips[0].denoise, wanted);
  ASSERT_TRUE(eventually([&] { return board.settled(); }));
  EXPECT_EQ(board.variants()[0], wanted);
  // What is set now can be held in a place, to compare later settings with it.
  buttonSaying(board, QStringLiteral("Hold here"))->click();
  EXPECT_EQ(board.variants()[1], wanted);
  window->session().undoStack().undo();
  EXPECT_FALSE(window->session().shoot().clips[0].denoise);
}

TEST_F(NoisyWindow, QualityFlickerAndShadowsAreSetForTheClip) {
  openNoisy();
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  const auto settings = [&] { return window->session().plans()[0].job.correction.denoise; };
  auto* quality = named<QComboBox>(compare, QStringLiteral("Quality"));
  ASSERT_NE(quality, nullptr);
  EXPECT_EQ(quality->currentIndex(), 1);
  quality->setCurrentIndex(2);
  EXPECT_EQ(settings().frames_each_side, 2);
  named<QSpinBox>(compare, QStringLiteral("Colour taken out of the deepest shadows"))->setValue(40);
  EXPECT_NEAR(settings().shadow_colour, 0.4, 1e-9);
  named<QSpinBox>(compare, QStringLiteral("Flicker evened out"))->setValue(100);
  EXPECT_TRUE(window->session().plans()[0].questions.flicker);
  // The window measures it by itself and says what it found.
  ASSERT_TRUE(eventually([&] {
    for (const QLabel* label : compare.findChildren<QLabel*>())
      if (label->text().startsWith(QStringLiteral("No flicker")) ||
          label->text().startsWith(QStringLiteral("Flicker of")))
        return true;
    return false;
  }));
}

TEST_F(NoisyWindow, ACurveIsSetByHandAndMarkedSo) {
  openNoisy();
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  bench.setStation(BenchPlace::Noise);
  ASSERT_TRUE(bench.chooseShot(QStringLiteral("one.mp4")));
  EXPECT_EQ(bench.noise().state().iso(), 400);
  EXPECT_FALSE(bench.noise().state().entry());
  named<QDoubleSpinBox>(bench, QStringLiteral("Curve by hand"))->setValue(1.5);
  ASSERT_TRUE(bench.noise().state().entry());
  bench.putIntoProfile();
  const Profile profile = window->session().profileFor(0);
  EXPECT_NEAR(profile.noise->entries[0].curve.sigma[0][0], 3, 1e-6);
  EXPECT_EQ(profile.noise->entries[0].origin, Origin::ByHand);
  EXPECT_EQ(bench.noise().state().factor(), 1);
}

TEST_F(Window, HotPixelsAreFoundAndPutIntoTheProfile) {
  sim::CameraSetup camera = testing::smallCamera();
  camera.samples = 1;
  camera.exposure = 0.002;
  camera.noise = sim::sensorNoiseAt(400);
  camera.hot_pixels = 12;
  auto film = testing::smallFilm(8);
  film.codec = sim::FilmCodec::Ffv1;
  sim::writeFilm(folder / "covered.mkv", {camera, sim::millScene(), [](double) { return sim::Pose{}; }},
                 film);
  open(true);
  Session& session = window->session();
  for (size_t i = 0; i < session.plans().size(); ++i)
    if (session.plans()[i].info.path.filename() == "covered.mkv") session.setCurrentClip(static_cast<int>(i));
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  bench.setStation(BenchPlace::Noise);
  ASSERT_TRUE(bench.chooseShot(QStringLiteral("covered.mkv")));
  buttonSaying(bench, QStringLiteral("Find hot pixels"))->click();
  ASSERT_TRUE(eventually([&] { return !bench.noise().state().busy(); }));
  ASSERT_TRUE(bench.noise().state().hot()) << bench.noise().state().trouble().toStdString();
  EXPECT_GE(bench.noise().state().hot()->pixels.size(), 10U);
  QPushButton* put = buttonSaying(bench, QStringLiteral("Put them into profile"));
  ASSERT_NE(put, nullptr);
  put->click();
  EXPECT_GE(session.profileFor(session.currentClip()).noise->hot_pixels.size(), 10U);
}

TEST(NoiseSpeeds, AreKeptAndWrittenProperly) {
  NoiseSpeed speed;
  speed.rows = {{kNoiseQualities[1], 10.4}, {kNoiseQualities[3], 5.26}};
  keepNoiseSpeeds(speed);
  EXPECT_NEAR(noiseSpeeds()[1], 10.4, 1e-9);
  EXPECT_NEAR(noiseSpeeds()[4], 5.26, 1e-9);
  EXPECT_TRUE(speedText(noiseSpeeds()).contains(QStringLiteral("Standard 10.4")));
  EXPECT_EQ(speedText({}), QStringLiteral("not tried yet"));
}

}  // namespace
}  // namespace glenhaze::desktop
