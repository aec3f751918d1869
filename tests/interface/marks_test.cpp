// What is marked and measured on the bench can be taken back and led to, before any of it is in a profile.
#include <QScrollBar>
#include <QTableView>
#include <QTableWidget>
#include <QTextBlock>
#include <QTextBrowser>
#include <QToolButton>

#include "desktop/guide_window.h"
#include "tests/interface/window_fixture.h"

namespace glenhaze::desktop {
namespace {

class Marks : public Window {
 protected:
  void undo() { window->undoTrail().undoAction()->trigger(); }
  void redo() { window->undoTrail().redoAction()->trigger(); }
  BenchPlace& bench() { return window->benchPlace(); }
  void toStation(BenchPlace::Station station) {
    window->go(MainWindow::Bench);
    bench().setStation(station);
    ASSERT_TRUE(bench().chooseShot(QStringLiteral("one.mp4")));
  }
};

TEST_F(Marks, NudgesOfTheLensAreOneStepAndPuttingThemInIsAnother) {
  open(true);
  toStation(BenchPlace::Lens);
  bench().lens().setWay(LensState::Way::ByHand);
  LensState& state = bench().lens().state();
  const Lens before = *state.lens();
  for (int i = 1; i <= 3; ++i) {
    Lens lens = before;
    lens.k[0] -= 0.01 * i;
    state.nudge(lens);
  }
  EXPECT_EQ(state.steps().count(), 1);
  EXPECT_FALSE(window->session().isModified());  // the shoot has not changed
  undo();
  EXPECT_EQ(*state.lens(), before);
  EXPECT_FALSE(state.nudged());
  redo();
  EXPECT_NEAR(state.lens()->k[0], before.k[0] - 0.03, 1e-12);
  bench().putIntoProfile();
  EXPECT_EQ(window->session().plans()[0].lens.kind, Coverage::ByHand);
  undo();  // now that of the profile comes first
  EXPECT_EQ(window->session().plans()[0].lens.kind, Coverage::Measured);
  EXPECT_NEAR(state.lens()->k[0], before.k[0] - 0.03, 1e-12);
}

TEST_F(Marks, PlacesOfNoiseGoAndComeBackWithWhatWasMeasured) {
  open(true);
  toStation(BenchPlace::Noise);
  NoiseState& state = bench().noise().state();
  ASSERT_TRUE(eventually([&] { return !state.cells().empty(); }));
  state.addPatch({16, 16, 32, 32});
  state.addPatch({64, 16, 32, 32});
  ASSERT_EQ(state.patches().size(), 2U);
  undo();
  ASSERT_EQ(state.patches().size(), 1U);
  EXPECT_EQ(state.patches()[0].rect.x, 16);
  undo();
  EXPECT_TRUE(state.patches().empty());
  EXPECT_EQ(state.way(), NoiseState::Way::LockedOff);
  redo();
  redo();
  ASSERT_EQ(state.patches().size(), 2U);
  // Elsewhere the bench's steps are not at hand.
  window->go(MainWindow::Shoot);
  EXPECT_FALSE(window->undoTrail().undoAction()->isEnabled());
  window->go(MainWindow::Bench);
  EXPECT_TRUE(window->undoTrail().undoAction()->isEnabled());
}

TEST_F(Marks, ARowLeadsToItsPlaceAndAShiftClickLeavesItOut) {
  open(true);
  toStation(BenchPlace::Noise);
  NoiseState& state = bench().noise().state();
  ASSERT_TRUE(eventually([&] { return !state.cells().empty(); }));
  state.addPatch({16, 16, 32, 32});
  state.addPatch({64, 16, 32, 32});
  auto* table = named<QTableWidget>(bench().noise(), QStringLiteral("Evidence"));
  auto* view = bench().noise().findChild<PictureView*>();
  const auto middle = [&](int row) { return table->visualItemRect(table->item(row, 1)).center(); };
  QTest::mouseClick(table->viewport(), Qt::LeftButton, {}, middle(1));
  EXPECT_EQ(view->flashing(), QRectF(64, 16, 32, 32));
  EXPECT_TRUE(eventually([&] { return view->flashing().isNull(); }));
  const bool used = state.patchUsed(0);
  const int row = table->currentRow();
  QTest::mouseClick(table->viewport(), Qt::LeftButton, Qt::ShiftModifier, middle(0));
  EXPECT_NE(state.patchUsed(0), used);
  EXPECT_EQ(table->currentRow(), row);
  state.stop();
  undo();
  EXPECT_EQ(state.patchUsed(0), used);
}

TEST_F(Marks, TheReadoutByHandIsTakenBack) {
  open(true);
  toStation(BenchPlace::Shutter);
  ShutterState& state = bench().shutter().state();
  EXPECT_FALSE(state.value());
  state.setByHand({0.012, ScanDirection::Down});
  state.setByHand({0.013, ScanDirection::Down});
  EXPECT_NEAR(state.value()->readout_s, 0.013, 1e-12);
  undo();
  EXPECT_FALSE(state.value());
  redo();
  EXPECT_NEAR(state.value()->readout_s, 0.013, 1e-12);
}

// Pictures, tables and lines of code: nothing is read by moving sideways.
TEST_F(Marks, TheGuideIsNoWiderThanItsWindow) {
  GuideWindow guide;
  guide.show();
  const auto* page = guide.findChild<QTextBrowser*>();
  ASSERT_TRUE(eventually([&] { return page->verticalScrollBar()->maximum() > 10000; })) << "pictures and all";
  // What overhangs stays within the margin of 24 px.
  EXPECT_LT(page->horizontalScrollBar()->maximum(), 4);
  EXPECT_FALSE(page->horizontalScrollBar()->isVisible());
}

TEST_F(Marks, EveryQuestionMarkHasItsChapterInTheGuide) {
  open(true);
  GuideWindow guide;
  int marks = 0;
  for (const QToolButton* mark : window->findChildren<QToolButton*>()) {
    const QString topic = mark->property("topic").toString();
    if (topic.isEmpty()) continue;
    ++marks;
    EXPECT_TRUE(guide.goTo(topic)) << topic.toStdString();
  }
  EXPECT_GE(marks, 8);
  EXPECT_FALSE(guide.goTo(QStringLiteral("Nothing of this name")));
  window->go(MainWindow::Bench);
  bench().setStation(BenchPlace::Noise);
  for (QToolButton* mark : bench().noise().findChildren<QToolButton*>())
    if (!mark->property("topic").toString().isEmpty()) mark->click();
  auto* shown = window->findChild<GuideWindow*>();
  ASSERT_NE(shown, nullptr);
  EXPECT_EQ(shown->findChild<QTextBrowser*>()->textCursor().block().text(),
            QStringLiteral("4. Measure the noise"));
}

}  // namespace
}  // namespace glenhaze::desktop
