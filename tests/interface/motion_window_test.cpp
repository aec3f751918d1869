// Shutter and stabilization in the real window: measured, set, kept, seen in Compare and undone.
#include <QCheckBox>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QLabel>
#include <QPushButton>

#include "desktop/bench/hand_tools.h"
#include "desktop/bench/mask_tools.h"
#include "desktop/bench/path_plot.h"
#include "desktop/bench/stabilization_form.h"
#include "desktop/bench/window_tools.h"
#include "desktop/compare/moment_strip.h"
#include "desktop/compare/steady_board.h"
#include "tests/interface/window_fixture.h"
#include "tests/support/motion.h"

namespace glenhaze::desktop {
namespace {

class MotionWindow : public Window {
 protected:
  // A windy clip and a pan past uprights of one camera whose lens is known, or not.
  void openWindy(bool with_pan = false, const sim::Scene& scene = sim::millScene(), bool with_lens = true,
                 const std::string& scene_name = "mill") {
    sim::CameraSetup setup = testing::smallCamera();
    setup.readout_s = 0.015;
    sim::FilmSettings film = testing::smallFilm(24);
    film.bit_rate = 0;
    testing::rememberedFilm(folder / "windy.mp4", "windy window " + scene_name,
                            [&](const std::filesystem::path& to) {
                              sim::writeFilm(to, {setup, scene, testing::windy(0.8)}, film);
                            });
    if (with_pan)
      testing::rememberedFilm(folder / "pan.mp4", "pan of the windy window",
                              [&](const std::filesystem::path& to) {
                                sim::writeFilm(to,
                                               {setup, sim::uprightsScene(),
                                                [](double t) {
                                                  sim::Pose p;
                                                  p.ry = 14 * std::sin(4 * t) * testing::kDegree;
                                                  return p;
                                                }},
                                               film);
                              });
    open(with_lens);
    window->session().setCurrentClip(clipNamed("windy.mp4"));
  }
  int clipNamed(const char* name) {
    const auto& plans = window->session().plans();
    for (size_t i = 0; i < plans.size(); ++i)
      if (plans[i].info.path.filename() == name) return static_cast<int>(i);
    return -1;
  }
  void give(const std::function<void(Profile&)>& part) {
    Profile profile = window->session().profileFor(clipNamed("windy.mp4"));
    part(profile);
    window->session().putProfile(QStringLiteral("part"), profile);
  }
  static void dragOver(PictureView& view, QPointF from, QPointF to) {
    QTest::mousePress(&view, Qt::LeftButton, {}, view.toScreen(from).toPoint());
    QTest::mouseMove(&view, view.toScreen((from + to) / 2).toPoint());
    QTest::mouseMove(&view, view.toScreen(to).toPoint());
    QTest::mouseRelease(&view, Qt::LeftButton, {}, view.toScreen(to).toPoint());
  }
  StabilizationStation& stabilization() {
    window->go(MainWindow::Bench);
    window->benchPlace().setStation(BenchPlace::Stabilization);
    return window->benchPlace().stabilization();
  }
  const ClipPlan& windy() { return window->session().plans()[static_cast<size_t>(clipNamed("windy.mp4"))]; }
};

TEST_F(MotionWindow, TheReadoutIsMeasuredNudgedAndPutIntoTheProfile) {
  openWindy(true);
  EXPECT_EQ(windy().shutter.kind, Coverage::Missing);
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  bench.setStation(BenchPlace::Shutter);
  ASSERT_TRUE(bench.chooseShot(QStringLiteral("pan.mp4")));
  ShutterState& state = bench.shutter().state();
  EXPECT_EQ(state.way(), ShutterState::Way::Pan);
  state.measure();
  ASSERT_TRUE(eventually([&] { return !state.busy(); }));
  ASSERT_TRUE(state.finding()) << state.trouble().toStdString();
  EXPECT_NEAR(state.value()->readout_s, 0.015, 0.05 * 0.015);
  const double measured = state.leanLeft();
  EXPECT_LT(measured, 0.3);
  bench.putIntoProfile();
  EXPECT_EQ(windy().shutter.kind, Coverage::Measured) << windy().shutter.reason;
  EXPECT_TRUE(windy().questions.motion);

  // Nudged by hand: the lean follows at once, and the cell says who set it.
  auto* readout = named<QDoubleSpinBox>(bench.shutter(), QStringLiteral("Readout"));
  ASSERT_NE(readout, nullptr);
  readout->setValue(25);
  EXPECT_TRUE(state.byHand());
  EXPECT_GT(state.leanLeft(), 3 * measured);
  auto* share = named<QDoubleSpinBox>(bench.shutter(), QStringLiteral("of the frame interval"));
  EXPECT_NEAR(share->value(), 75, 0.1);
  share->setValue(50);
  EXPECT_NEAR(state.value()->readout_s, 0.5 / 30, 1e-4);
  bench.putIntoProfile();
  EXPECT_EQ(windy().shutter.kind, Coverage::ByHand);
  window->session().undoStack().undo();
  EXPECT_EQ(windy().shutter.kind, Coverage::Measured);
  window->session().undoStack().undo();
  EXPECT_EQ(windy().shutter.kind, Coverage::Missing);
}

TEST_F(MotionWindow, AClipThatTheCameraTurnedIsReadTheOtherWay) {
  openWindy();
  Session& session = window->session();
  Profile profile = session.profileFor(clipNamed("windy.mp4"));
  profile.shutter = shutterPartByHand({0.015, ScanDirection::Down});
  session.putProfile(QStringLiteral("shutter"), profile);
  EXPECT_EQ(windy().motion.shutter.direction, ScanDirection::Down);
  window->go(MainWindow::Bench);
  window->benchPlace().setStation(BenchPlace::Shutter);
  auto* held = named<QComboBox>(window->benchPlace().shutter(), QStringLiteral("How this clip was held"));
  ASSERT_NE(held, nullptr);
  held->setCurrentIndex(2);
  Q_EMIT held->activated(2);
  EXPECT_EQ(windy().motion.shutter.direction, ScanDirection::Up);
  session.undoStack().undo();
  EXPECT_EQ(windy().motion.shutter.direction, ScanDirection::Down);
}

TEST_F(MotionWindow, TheLensIsToldFromMovingFootage) {
  const sim::CameraSetup setup = testing::filmLookingAbout(folder / "about.mp4");
  open(false);
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  bench.lens().setWay(LensState::Way::Footage);
  ASSERT_TRUE(bench.chooseShot(QStringLiteral("about.mp4")));
  LensState& state = bench.lens().state();
  state.findFromFootage();
  ASSERT_TRUE(eventually([&] { return !state.busy(); }));
  ASSERT_TRUE(state.footage()) << state.trouble().toStdString();
  ASSERT_TRUE(state.footage()->usable) << state.footage()->why;
  EXPECT_NEAR(state.footage()->lens.fx / setup.lens.fx, 1, 3 * state.footage()->focal_uncertainty);
  EXPECT_NEAR(state.footage()->lens.fx / setup.lens.fx, 1, 0.03);
  EXPECT_TRUE(window->session().profiles().empty());
  bench.putIntoProfile();
  ASSERT_EQ(window->session().profiles().size(), 1U);
  const Profile& profile = window->session().profiles()[0];
  EXPECT_EQ(profile.lens->method, "footage");
  ASSERT_TRUE(profile.shutter);  // told beside it, where the profile had none
  EXPECT_NEAR(profile.shutter->shutter.readout_s, 0.015, 0.05 * 0.015);
}

// Nothing is known of the camera: the station works all the same, and says with what.
TEST_F(MotionWindow, WithoutALensTheStationAssumesOneAndSaysSo) {
  openWindy(false, sim::millScene(), false);
  ASSERT_FALSE(windy().match.lens);
  StabilizationStation& station = stabilization();
  ASSERT_TRUE(eventually([&] { return station.settled(); }));
  const auto labels = station.findChildren<QLabel*>();
  const auto says = [&](const QString& words) {
    return std::any_of(labels.begin(), labels.end(),
                       [&](const QLabel* l) { return l->isVisible() && l->text().contains(words); });
  };
  EXPECT_TRUE(says(QStringLiteral("67° across is assumed")));
  EXPECT_TRUE(says(QStringLiteral("shake faster than 1 Hz")));
  EXPECT_EQ(windy().stabilization.kind, Coverage::Missing);  // looking at it changes nothing
}

// What is looked at is what would be rendered: a readout of the clip's own has no part in it.
TEST_F(MotionWindow, WithALensTheStationTakesNothingFromTheClipItself) {
  openWindy();
  StabilizationStation& station = stabilization();
  ASSERT_TRUE(eventually([&] { return station.settled(); }));
  ShootClip set = windy().clip;
  set.stabilization = StabilizationSettings{};
  const auto rendered = planClip(windy().basis, set, windy().facts).motionWanted();
  ASSERT_TRUE(rendered);
  EXPECT_NE(window->session().motion().find(*rendered), nullptr);
}

TEST_F(MotionWindow, StabilizationIsSetOnAClipAndKeptForTheCamera) {
  openWindy();
  Session& session = window->session();
  EXPECT_EQ(windy().stabilization.kind, Coverage::Missing);
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  bench.setStation(BenchPlace::Stabilization);
  StabilizationStation& station = bench.stabilization();
  ASSERT_TRUE(eventually([&] { return station.settled(); }));
  // Looking at it changes nothing.
  EXPECT_FALSE(windy().clip.stabilization);
  auto* smooth = named<QDoubleSpinBox>(station, QStringLiteral("Smoothing"));
  ASSERT_NE(smooth, nullptr);
  smooth->setValue(2);
  ASSERT_TRUE(windy().clip.stabilization);
  EXPECT_EQ(windy().clip.stabilization->smoothing_s, 2);
  EXPECT_EQ(windy().stabilization.kind, Coverage::ByHand);
  ASSERT_TRUE(eventually([&] { return station.settled(); }));
  const auto answer = session.motion().find(windy().motion);
  ASSERT_TRUE(answer);
  EXPECT_LT(answer->stabilized.shake_after_deg, 0.1 * answer->stabilized.shake_before_deg);
  // Tracks lie beside the shoot.
  EXPECT_TRUE(std::filesystem::exists(windy().motion.tracks_file));
  EXPECT_EQ(windy().motion.tracks_file.parent_path(), folder / "motion");

  bench.putIntoProfile();
  EXPECT_FALSE(windy().clip.stabilization);
  EXPECT_EQ(windy().stabilization.kind, Coverage::Measured);
  EXPECT_EQ(windy().motion.settings.smoothing_s, 2);
}

TEST_F(MotionWindow, StrengthsPlaySideBySideAndOneIsTaken) {
  openWindy();
  give([](Profile& p) { p.stabilization.emplace(); });
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  SteadyBoard& board = compare.steadyBoard();
  QTest::keyClick(&compare, Qt::Key_M);
  ASSERT_TRUE(eventually([&] { return board.settled(); }));
  ASSERT_EQ(board.strengths().size(), 3U);
  EXPECT_LT(board.strengths()[1].smoothing_s, board.strengths()[0].smoothing_s);
  // Every frame of the loop is there, and they play one after the other, round and round.
  for (int64_t i = 0; i + 1 < windy().info.frames; ++i) EXPECT_EQ(board.after(i), i + 1);
  EXPECT_EQ(board.after(windy().info.frames - 1), 0);
  const int64_t before = compare.state().frame();
  ASSERT_TRUE(eventually([&] { return compare.state().frame() != before; }));
  QTest::keyClick(&compare, Qt::Key_P);
  buttonSaying(board, QStringLiteral("Use"))->click();
  ASSERT_TRUE(windy().clip.stabilization);
  EXPECT_EQ(windy().clip.stabilization->smoothing_s, 0.2);
  // What is set stands first again, and the others are around it.
  ASSERT_TRUE(eventually([&] { return board.settled() && board.strengths()[0].smoothing_s == 0.2; }));
  window->session().undoStack().undo();
  EXPECT_FALSE(windy().clip.stabilization);
}

TEST_F(MotionWindow, WhatMovesOnItsOwnIsMappedAndMendedWhereAsked) {
  sim::Scene scene = sim::millScene();
  sim::addBox(scene, {-2.2F, -1.4F, 6.2F}, {0.2F, 0.6F, 6.6F}, sim::Material::Stone, {1, 1, 1}, {3, 0, 0});
  openWindy(false, scene, true, "with something that moves on its own");
  give([](Profile& p) { p.shutter = shutterPartByHand({0.015, ScanDirection::Down}); });
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  compare.state().goTo(4);
  compare.setLook(5);
  const auto says = [&](const QString& text) {
    for (const QLabel* label : compare.findChildren<QLabel*>())
      if (label->text().contains(text)) return true;
    return false;
  };
  ASSERT_TRUE(eventually([&] { return says(QStringLiteral("Own motion leaves places")); }));
  EXPECT_FALSE(windy().clip.shutter_local);
  auto* mend = compare.findChild<QCheckBox*>(QStringLiteral("mend-own-motion"));
  ASSERT_NE(mend, nullptr);
  mend->click();
  EXPECT_TRUE(windy().job.correction.shutter_local);
  ASSERT_TRUE(eventually([&] { return says(QStringLiteral("taken back")); }));
  window->session().undoStack().undo();
  EXPECT_FALSE(windy().clip.shutter_local);
}

TEST_F(MotionWindow, AMaskOverRotorBladesAsksForAnotherAnalysis) {
  openWindy();
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  bench.setStation(BenchPlace::Stabilization);
  StabilizationStation& station = bench.stabilization();
  ASSERT_TRUE(eventually([&] { return station.settled(); }));
  const auto before = window->session().motion().tracks(windy().info.path);
  ASSERT_TRUE(before);
  station.masks().begin(MaskTools::Scope::Camera);
  auto* view = station.findChild<PictureView*>();
  ASSERT_TRUE(eventually([&] { return view->pictureSize().width() == 320; }));
  dragOver(*view, {40, 5}, {300, 80});
  const Profile profile = window->session().profileFor(clipNamed("windy.mp4"));
  ASSERT_TRUE(profile.stabilization);
  ASSERT_EQ(profile.stabilization->masks.size(), 1U);
  EXPECT_NEAR(profile.stabilization->masks[0].corners[2].x, 300.0 / 320, 0.03);
  ASSERT_TRUE(eventually([&] { return station.settled(); }));
  const auto after = window->session().motion().tracks(windy().info.path);
  ASSERT_TRUE(after && after != before);
  for (const TrackPair& p : after->frames[10].pairs.read())
    EXPECT_FALSE(p.to_x > 50 && p.to_x < 290 && p.to_y > 10 && p.to_y < 70);
}

TEST_F(MotionWindow, MasksOfAClipHoldOverTimeAndAreLeftOutOfTheDifference) {
  openWindy();
  StabilizationStation& station = stabilization();
  ASSERT_TRUE(eventually([&] { return station.settled(); }));
  auto* view = station.findChild<PictureView*>();
  station.goTo(6);
  ASSERT_TRUE(eventually([&] { return station.window().now().frame == 6; }));
  station.masks().begin(MaskTools::Scope::ClipFromHere);
  dragOver(*view, {40, 20}, {200, 120});
  ASSERT_EQ(windy().clip.masks.size(), 1U);
  EXPECT_EQ(windy().clip.masks[0].first, 6);
  EXPECT_EQ(windy().clip.masks[0].last, -1);
  station.goTo(9);
  const auto menuAction = [&](const QString& text) {
    for (QAction* a : station.masks().findChildren<QAction*>())
      if (a->text() == text) return a;
    return static_cast<QAction*>(nullptr);
  };
  QAction* end = menuAction(QStringLiteral("End this clip's masks with this frame"));
  ASSERT_NE(end, nullptr);
  ASSERT_TRUE(eventually([&] { return end->isEnabled() && station.window().now().frame == 9; }));
  end->trigger();
  EXPECT_EQ(windy().clip.masks[0].last, 10);
  // Nothing is followed under it while it holds, and things are again behind it.
  ASSERT_TRUE(eventually([&] { return station.settled(); }));
  const auto tracks = window->session().motion().tracks(windy().info.path);
  const auto under = [&](size_t frame) {
    int count = 0;
    for (const TrackPair& p : tracks->frames[frame].pairs.read())
      count += p.to_x > 45 && p.to_x < 195 && p.to_y > 25 && p.to_y < 115 ? 1 : 0;
    return count;
  };
  EXPECT_EQ(under(8), 0);
  EXPECT_GT(under(4), 3);
  EXPECT_GT(under(22), 3);
  // The difference for aligning by hand leaves it out as well.
  HandAlign& hand = station.hand().align();
  station.setLook(2);
  buttonSaying(station, QStringLiteral("Freeze this frame"))->click();
  ASSERT_TRUE(eventually([&] { return hand.ready(); }));
  station.goTo(7);
  ASSERT_TRUE(eventually([&] { return hand.difference() && station.window().now().frame == 7; }));
  const Difference difference = *hand.difference();
  EXPECT_EQ(difference.picture.planes[0].at(100, 60, 1), 60);
  EXPECT_EQ(difference.picture.planes[0].at(44, 24, 1), 60);
  menuAction(QStringLiteral("Drop this clip's masks"))->trigger();
  EXPECT_TRUE(windy().clip.masks.empty());
  EXPECT_NE(hand.difference()->mean, difference.mean);
}

TEST_F(MotionWindow, TheWindowIsPlacedByHandOverTime) {
  openWindy();
  StabilizationStation& station = stabilization();
  ASSERT_TRUE(eventually([&] { return station.settled(); }));
  auto* view = station.findChild<PictureView*>();
  station.setLook(3);
  WindowTools& tool = station.window();
  station.goTo(5);
  ASSERT_TRUE(eventually([&] { return tool.now().frame == 5 && view->pictureSize().width() == 320; }));
  // Sized by the box, dragged to the lower right; kept when the mouse is let go.
  named<QDoubleSpinBox>(tool, QStringLiteral("Size of the window"))->setValue(70);
  EXPECT_FALSE(windy().clip.stabilization);
  dragOver(*view, {160, 90}, {184, 102});
  ASSERT_TRUE(windy().clip.stabilization);
  ASSERT_EQ(windy().clip.stabilization->window.size(), 1U);
  const WindowKey first = windy().clip.stabilization->window[0];
  EXPECT_EQ(first.frame, 5);
  EXPECT_NEAR(first.size, 0.7, 1e-9);
  EXPECT_NEAR(first.offset.x, 24.0 / 320, 0.03);
  EXPECT_NEAR(first.offset.y, 12.0 / 180, 0.03);
  // A second key by keyboard; straight between them.
  station.goTo(15);
  ASSERT_TRUE(eventually([&] { return station.settled() && tool.now().frame == 15; }));
  QTest::keyClick(view, Qt::Key_Left, Qt::ShiftModifier);
  QTest::keyClick(view, Qt::Key_Return);
  ASSERT_EQ(windy().clip.stabilization->window.size(), 2U);
  EXPECT_NEAR(windy().clip.stabilization->window[1].offset.x, first.offset.x - 10.0 / 320, 1e-6);
  ASSERT_TRUE(eventually([&] { return station.settled(); }));
  const auto answer = window->session().motion().find(windy().motion);
  ASSERT_TRUE(answer);
  EXPECT_NEAR(answer->stabilized.frames[10].offset.x, first.offset.x - 5.0 / 320, 1e-6);
  QTest::keyClick(view, Qt::Key_Delete);
  EXPECT_EQ(windy().clip.stabilization->window.size(), 1U);
  buttonSaying(station, QStringLiteral("Whole again"))->click();
  EXPECT_TRUE(windy().clip.stabilization->window.empty());
  window->session().undoStack().undo();
  EXPECT_EQ(windy().clip.stabilization->window.size(), 1U);
}

TEST_F(MotionWindow, AFrozenFrameIsLaidOverAnotherByKeys) {
  openWindy();
  window->go(MainWindow::Bench);
  window->benchPlace().setStation(BenchPlace::Stabilization);
  StabilizationStation& station = window->benchPlace().stabilization();
  station.setLook(2);
  station.goTo(4);
  HandAlign& hand = station.hand().align();
  const auto press = [&](const QString& text) {
    for (QPushButton* b : station.findChildren<QPushButton*>())
      if (b->text() == text && b->isEnabled()) return b->click();
    FAIL() << text.toStdString();
  };
  ASSERT_TRUE(eventually([&] { return hand.frozenHere().front().frame == 4; }));
  press(QStringLiteral("Freeze this frame"));
  ASSERT_TRUE(eventually([&] { return hand.ready(); }));
  station.goTo(9);
  ASSERT_TRUE(eventually([&] { return hand.difference() && hand.frozenHere().front().frame == 9; }));
  const double before = hand.difference()->mean;
  // Towards black, a pixel at a time, as a hand on the arrow keys does.
  auto* view = station.findChild<PictureView*>();
  for (int round = 0; round < 40; ++round)
    for (const auto& [key, back] : {std::pair{Qt::Key_Left, Qt::Key_Right},
                                    {Qt::Key_Right, Qt::Key_Left},
                                    {Qt::Key_Up, Qt::Key_Down},
                                    {Qt::Key_Down, Qt::Key_Up}}) {
      const double was = hand.difference()->mean;
      QTest::keyClick(view, key);
      if (hand.difference()->mean > was) QTest::keyClick(view, back);
    }
  EXPECT_LT(hand.difference()->mean, 0.6 * before);
  QTest::keyClick(view, Qt::Key_Return);
  ASSERT_EQ(windy().clip.hand.size(), 2U);
  EXPECT_EQ(windy().clip.hand[0].frame, 4);
  EXPECT_EQ(windy().clip.hand[1].frame, 9);
  QTest::keyClick(view, Qt::Key_Delete);
  EXPECT_EQ(windy().clip.hand.size(), 1U);
  window->session().undoStack().undo();
  EXPECT_EQ(windy().clip.hand.size(), 2U);
}

TEST_F(MotionWindow, CompareShowsItSteadyAndSwitchesItOff) {
  openWindy();
  Session& session = window->session();
  Profile profile = session.profileFor(clipNamed("windy.mp4"));
  profile.shutter = shutterPartByHand({0.015, ScanDirection::Down});
  profile.stabilization.emplace();
  session.putProfile(QStringLiteral("both"), profile);
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  ASSERT_TRUE(eventually([&] { return session.motion().find(windy().motion) && compare.settled(); }));
  // Over time: what shakes, and what is left of it.
  QTest::keyClick(&compare, Qt::Key_T);
  ASSERT_TRUE(eventually([&] { return compare.moments().timeline().has_value(); }));
  const ClipTimeline& timeline = *compare.moments().timeline();
  const auto shake = static_cast<double>(timeline.moments[timeline.at(0.5)].shake);
  const double left = compare.momentStrip().shakeLeftAt(0.5);
  EXPECT_GE(left, 0);
  EXPECT_LT(left, 0.3 * shake);
  EXPECT_TRUE(compare.momentStrip().textAt(0.5).contains(QStringLiteral("once it is steadied")));
  const Frame steady = compare.shown().corrected_frame;
  ASSERT_GT(steady.width, 0);
  QCheckBox* box = nullptr;
  for (QCheckBox* b : compare.findChildren<QCheckBox*>())
    if (b->text() == QStringLiteral("Steady")) box = b;
  ASSERT_NE(box, nullptr);
  EXPECT_TRUE(box->isChecked());
  box->click();
  EXPECT_EQ(windy().stabilization.kind, Coverage::Off);
  ASSERT_TRUE(eventually([&] { return session.motion().find(windy().motion) && compare.settled(); }));
  EXPECT_FALSE(sameSamples(steady, compare.shown().corrected_frame));
}

}  // namespace
}  // namespace glenhaze::desktop
