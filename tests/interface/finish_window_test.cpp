// The finish in the real window: edges measured, one left out, settings seen in the clip, put into the
// profile, undone.
#include <QDoubleSpinBox>
#include <QTableWidget>

#include "desktop/bench/finish_form.h"
#include "tests/interface/window_fixture.h"
#include "tests/support/edges.h"

namespace glenhaze::desktop {
namespace {

TEST_F(Window, EdgesAreMeasuredAndTheFinishIsSet) {
  std::filesystem::create_directory(folder / "shots");
  testing::edgeFilm(folder / "shots" / "edge.mp4", "unsharp=7:7:1.5");
  open(true);
  Session& session = window->session();
  session.edit(QStringLiteral("add"),
               [&](Shoot& s) { s.references.push_back(folder / "shots" / "edge.mp4"); });
  session.setCurrentClip(0);
  EXPECT_EQ(session.plans()[0].finish.kind, Coverage::Missing);
  EXPECT_FALSE(session.plans()[0].decision.treatment.finishing);
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  bench.setStation(BenchPlace::Finish);
  ASSERT_TRUE(eventually([&] { return bench.chooseShot(QStringLiteral("edge.mp4")); }));
  FinishState& state = bench.finish().state();
  state.findEdges();
  ASSERT_TRUE(eventually([&] { return !state.busy(); }));
  ASSERT_TRUE(state.finding()) << state.trouble().toStdString();
  EXPECT_GT(state.finding()->all.sharpening.amount, 0.3);
  const int all = state.finding()->all.used;
  auto* evidence = bench.finish().findChild<QTableWidget*>();
  ASSERT_EQ(evidence->rowCount(), static_cast<int>(state.edges().size()));
  evidence->item(0, 0)->setCheckState(Qt::Unchecked);
  EXPECT_TRUE(state.leftOut(0));
  if (all > 1) {
    ASSERT_TRUE(state.finding());
    EXPECT_EQ(state.finding()->all.used, all - 1);
  }
  evidence->item(0, 0)->setCheckState(Qt::Checked);
  // A setting is the clip's own until it is put into the profile, and the clip is looked at with it.
  for (auto* spin : bench.finish().form().findChildren<QDoubleSpinBox*>())
    if (spin->accessibleName() == QStringLiteral("Exposure")) spin->setValue(0.5);
  ASSERT_TRUE(session.plans()[0].clip.finish);
  EXPECT_NEAR(session.plans()[0].clip.finish->exposure, 0.5, 1e-9);
  ASSERT_TRUE(session.plans()[0].decision.treatment.finishing);
  EXPECT_EQ(session.plans()[0].finish.kind, Coverage::ByHand);
  ASSERT_TRUE(eventually([&] { return bench.finish().settled(); }));
  bench.putIntoProfile();
  EXPECT_FALSE(session.plans()[0].clip.finish);
  const ClipPlan& covered = session.plans()[0];
  EXPECT_EQ(covered.finish.kind, Coverage::Measured) << covered.finish.reason;
  ASSERT_TRUE(covered.decision.treatment.finishing);
  EXPECT_GT(covered.decision.treatment.finishing->camera.amount, 0.3);
  EXPECT_NEAR(covered.decision.treatment.finishing->settings.exposure, 0.5, 1e-9);
  session.undoStack().undo();
  session.undoStack().undo();
  EXPECT_EQ(session.plans()[0].finish.kind, Coverage::ByHand);
}

}  // namespace
}  // namespace glenhaze::desktop
