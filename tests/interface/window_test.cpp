// The real window, driven as a user drives it.
#include <gtest/gtest.h>

#include <QAbstractItemModelTester>
#include <QListView>
#include <QPushButton>
#include <QSignalSpy>
#include <QSpinBox>
#include <QTest>

#include <algorithm>

#include "core/base/files.h"
#include "desktop/shoot/ledger_delegate.h"
#include "desktop/widgets/look.h"
#include "simulator/film.h"
#include "tests/interface/window_fixture.h"

namespace glenhaze::desktop {
namespace {

TEST_F(Window, OpensAFolderAndSaysWhatItIs) {
  open(true);
  const auto& plans = window->session().plans();
  ASSERT_EQ(plans.size(), 2U);
  EXPECT_EQ(plans[0].lens.kind, Coverage::Measured);
  EXPECT_EQ(plans[0].lens.figure, "0.21 px");
  EXPECT_TRUE(plans[1].failed);
  const QAbstractItemModelTester tester(window->shootPlace().ledger()->model(),
                                        QAbstractItemModelTester::FailureReportingMode::Fatal);
  EXPECT_EQ(window->shootPlace().ledger()->model()->rowCount(), 3);  // one group, two clips
}

TEST_F(Window, KeysGoThroughThePlaces) {
  open(true);
  for (int i = 0; i < 4; ++i) {
    QTest::keyClick(window.get(), static_cast<Qt::Key>(Qt::Key_1 + i), Qt::ControlModifier);
    EXPECT_EQ(window->place(), i);
  }
}

TEST_F(Window, RendersFromTheButtonAndUndoWorks) {
  open(true);
  window->session().edit(QStringLiteral("x"), [](Shoot& s) { s.clips[0].lens_on = false; });
  EXPECT_EQ(window->session().plans()[0].lens.kind, Coverage::Off);
  window->session().undoStack().undo();
  EXPECT_EQ(window->session().plans()[0].lens.kind, Coverage::Measured);
  QTest::keyClick(window.get(), Qt::Key_R, Qt::ControlModifier);
  EXPECT_EQ(window->place(), MainWindow::Run);
  ASSERT_TRUE(eventually([&] { return !window->session().running(); }));
  const RunSummary s = window->session().batch()->summary();
  EXPECT_EQ(s.done, 1);
  EXPECT_EQ(s.failed, 1);
  EXPECT_EQ(probe(folder / "rendered" / "one.mkv").frames, 8);
}

TEST_F(Window, CompareShowsSourceAndCorrected) {
  open(true);
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  EXPECT_EQ(compare.view().pictureSize(), QSize(320, 180));
  for (int i = 0; i < 3; ++i) QTest::keyClick(&compare, Qt::Key_Comma);
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  EXPECT_EQ(compare.state().frame(), 1);
  QTest::keyClick(&compare, Qt::Key_2);
  EXPECT_EQ(compare.view().zoom(), 2);
  const QImage divided = compare.view().grab().toImage();
  QTest::keyPress(&compare, Qt::Key_S);
  EXPECT_NE(divided, compare.view().grab().toImage());
  QTest::keyRelease(&compare, Qt::Key_S);
  EXPECT_EQ(divided, compare.view().grab().toImage());
  compare.addPin({100, 90});
  compare.layStraightEdge({40, 60}, {250, 60});
}

// Side by side the same thing stands at the same place: only what noise removal and finish did is left.
TEST_F(Window, SourceAndResultAreAligned) {
  open(true);
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  const auto apart = [&] {
    const QImage a = compare.shown().source, b = compare.shown().corrected;
    double sum = 0;
    for (int y = 20; y < 160; ++y)
      for (int x = 20; x < 300; ++x) sum += std::abs(qGreen(a.pixel(x, y)) - qGreen(b.pixel(x, y)));
    return sum / (140 * 280);
  };
  EXPECT_GT(apart(), 4) << "the lens bends";
  QTest::keyClick(&compare, Qt::Key_A);
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  EXPECT_LT(apart(), 1);
  // It stays so by way of a clip that cannot be shown.
  window->session().setCurrentClip(1);
  QTest::qWait(50);
  window->session().setCurrentClip(0);
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  EXPECT_LT(apart(), 1);
  QTest::keyClick(&compare, Qt::Key_A);
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  EXPECT_GT(apart(), 4);
}

// A clip that nothing is measured for: one press, then render.
TEST_F(Window, AClipThatNothingIsMeasuredForIsCleanedAndSteadiedAsItIs) {
  open(false);
  QListView* ledger = window->shootPlace().ledger();
  const auto& model = static_cast<const LedgerModel&>(*ledger->model());
  const QModelIndex head = model.index(0);
  ASSERT_NE(model.groupAt(head), nullptr);
  EXPECT_FALSE(model.groupAt(head)->meanwhile.isEmpty());
  const QPoint button = LedgerDelegate::secondButtonArea(ledger->visualRect(head)).center().toPoint();
  QTest::mouseClick(ledger->viewport(), Qt::LeftButton, {}, button);
  EXPECT_TRUE(window->session().shoot().clips[0].by_itself);
  const ClipPlan& plan = window->session().plans()[0];
  EXPECT_EQ(plan.refusal, "");
  EXPECT_EQ(plan.lens.kind, Coverage::Estimated);
  EXPECT_EQ(plan.noise.kind, Coverage::Estimated);
  EXPECT_EQ(plan.stabilization.kind, Coverage::Estimated);
  EXPECT_TRUE(model.groupAt(model.index(0))->meanwhile.isEmpty());
  window->session().startRun();
  ASSERT_TRUE(eventually([&] { return !window->session().running(); }));
  EXPECT_EQ(window->session().batch()->summary().done, 1);
  EXPECT_EQ(probe(folder / "rendered" / "one.mkv").frames, 8);
  // What the run has found out is known afterwards: here, that nothing is even enough.
  ASSERT_TRUE(eventually([&] { return window->session().plans()[0].facts.noise.contains(kOwnNoise); }));
  ASSERT_TRUE(eventually([&] { return !window->session().standings().busy(); }));
  EXPECT_EQ(window->session().standings().of(0)->kind, ClipStatus::Kind::Rendered);
  window->session().undoStack().undo();
  EXPECT_FALSE(window->session().shoot().clips[0].by_itself);
}

TEST_F(Window, InAndOutPointsFollowTheKeys) {
  open(true);
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  const auto range = [&] { return window->session().plans()[0].job.range; };
  compare.state().goTo(2);
  QTest::keyClick(&compare, Qt::Key_I);
  ASSERT_TRUE(range());
  EXPECT_EQ(range()->first, 2);
  EXPECT_EQ(range()->last, 8);
  compare.state().goTo(5);
  QTest::keyClick(&compare, Qt::Key_O);
  EXPECT_EQ(range()->first, 2);
  EXPECT_EQ(range()->last, 6);
  // An out point before the in point starts over at the beginning.
  compare.state().goTo(1);
  QTest::keyClick(&compare, Qt::Key_O);
  EXPECT_EQ(range()->first, 0);
  EXPECT_EQ(range()->last, 2);
  window->session().undoStack().undo();
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  window->session().startRun();
  ASSERT_TRUE(eventually([&] { return !window->session().running(); }));
  EXPECT_EQ(probe(folder / "rendered" / "one.mkv").frames, 4);
  QTest::keyClick(&compare, Qt::Key_W);
  EXPECT_FALSE(range());
}

TEST_F(Window, AClipCanHaveItsOwnFillAndAmount) {
  open(true);
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  QPushButton* more = buttonSaying(compare, QStringLiteral("More settings"));
  ASSERT_NE(more, nullptr);
  QTest::mouseClick(more, Qt::LeftButton);
  const auto spin = [&](const QString& name) -> QSpinBox* {
    for (QSpinBox* s : compare.findChildren<QSpinBox*>())
      if (s->accessibleName() == name) return s;
    return nullptr;
  };
  QSpinBox *fill = spin(QStringLiteral("Fill the frame")), *amount = spin(QStringLiteral("Lens correction"));
  ASSERT_TRUE(fill != nullptr && amount != nullptr);
  fill->setValue(0);
  EXPECT_EQ(window->session().plans()[0].job.correction.fill, 0);
  amount->setValue(40);
  EXPECT_EQ(window->session().plans()[0].job.correction.lens_amount, 0.4);
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  const auto own = compare.findChildren<QPushButton*>();
  const auto back = std::find_if(own.begin(), own.end(), [](const QPushButton* b) {
    return b->text() == QStringLiteral("As the whole shoot");
  });
  ASSERT_NE(back, own.end());
  EXPECT_TRUE((*back)->isVisible());
  (*back)->click();
  EXPECT_EQ(window->session().plans()[0].job.correction.fill, 1);
  EXPECT_EQ(fill->value(), 100);
  EXPECT_FALSE((*back)->isVisible());
}

TEST_F(Window, NewShootsStartWithTheKeptOutput) {
  open(true);
  OutputSettings output;
  output.encode.codec = Codec::Ffv1;
  output.fill = 0.5;
  window->session().setOutputDefaults(outputFromText(outputToText(output)));
  window->session().newShoot();
  EXPECT_EQ(window->session().shoot().output.encode.codec, Codec::Ffv1);
  EXPECT_EQ(window->session().shoot().output.fill, 0.5);
  EXPECT_EQ(outputFromText("not json").encode.codec, Codec::H264);
}

// A camera that is turned from view to view, so that straight things cross the whole picture.
void filmFromManySides(const std::filesystem::path& path) {
  sim::CameraSetup camera = testing::smallCamera(LensModel::BrownConrady, 960, 540);
  camera.samples = 1;
  sim::writeFilm(path,
                 {camera, sim::millScene(),
                  [fps = camera.fps](double t) {
                    constexpr double kViews[][3] = {{0.04, 0, 0},      {0.3, 0.1, 0.5},  {-0.25, -0.1, -0.6},
                                                    {0.1, 0.15, 1.55}, {-0.1, 0.1, 0.3}, {0.2, -0.1, 1.0}};
                    const auto& view = kViews[static_cast<size_t>(std::clamp(t * fps, 0.0, 5.0))];
                    sim::Pose pose;
                    pose.position = {-0.5F, -0.5F, 3.0F};
                    pose.rx = view[1], pose.ry = view[0], pose.rz = view[2];
                    return pose;
                  }},
                 testing::smallFilm(6));
}

TEST_F(Window, EdgesAreMeasuredAndPutIntoTheProfile) {
  filmFromManySides(folder / "one.mp4");
  openWithFilm(false);
  EXPECT_EQ(window->session().plans()[0].lens.kind, Coverage::Missing);
  window->go(MainWindow::Bench);
  BenchPlace& bench = window->benchPlace();
  bench.lens().setWay(LensState::Way::Edges);
  ASSERT_TRUE(bench.chooseShot(QStringLiteral("one.mp4")));
  bench.lens().state().findEdges();
  ASSERT_TRUE(eventually([&] { return !bench.lens().state().busy(); }));
  ASSERT_TRUE(bench.lens().state().edgeFinding()) << bench.lens().state().trouble().toStdString();
  // Nothing changes the profile until the user says so.
  EXPECT_TRUE(window->session().profiles().empty());
  bench.putIntoProfile();
  ASSERT_EQ(window->session().profiles().size(), 1U);
  EXPECT_NE(window->session().plans()[0].lens.kind, Coverage::Missing);
  const auto file = window->session().profiles()[0].path;
  EXPECT_TRUE(std::filesystem::exists(file));
  window->session().undoStack().undo();
  EXPECT_TRUE(window->session().profiles().empty());
  EXPECT_FALSE(std::filesystem::exists(file));
  window->session().undoStack().redo();
  EXPECT_TRUE(std::filesystem::exists(file));
}

TEST_F(Window, NudgedValuesAreMarkedAsByHand) {
  open(true);
  window->go(MainWindow::Bench);
  LensState& state = window->benchPlace().lens().state();
  window->benchPlace().lens().setWay(LensState::Way::ByHand);
  Lens lens = *state.lens();
  lens.k[0] -= 0.01;
  state.nudge(lens);
  EXPECT_TRUE(state.nudged());
  window->benchPlace().putIntoProfile();
  EXPECT_EQ(window->session().profiles()[0].lens->origin, Origin::ByHand);
  EXPECT_EQ(window->session().plans()[0].lens.kind, Coverage::ByHand);
}

TEST_F(Window, EveryButtonHasATipOrAText) {
  open(true);
  for (const QPushButton* button : window->findChildren<QPushButton*>())
    EXPECT_FALSE(button->text().isEmpty() && button->accessibleName().isEmpty());
}

TEST(Look, NumbersAreWrittenProperly) {
  EXPECT_EQ(withUnit(-3.14159, 2, QStringLiteral("px")), QString::fromUtf8("−3.14\u2009px"));
  EXPECT_EQ(withUnit(-0.0001, 2, {}), QStringLiteral("0.00"));
  EXPECT_EQ(lengthText(65), QStringLiteral("1:05"));
  EXPECT_EQ(lengthText(3661), QStringLiteral("1:01:01"));
  EXPECT_EQ(bytesText(1.9e9), QString::fromUtf8("1.9\u2009GB"));
}

// Text must stand out from its ground by 4.5 : 1 (W3C, WCAG 2.1, 1.4.3).
TEST(Look, ContrastOfText) {
  const auto luminance = [](QColor c) {
    const auto linear = [](double v) {
      return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
    };
    return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
  };
  const auto contrast = [&](QColor a, QColor b) {
    const double x = luminance(a), y = luminance(b);
    return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
  };
  using namespace look;
  EXPECT_GE(contrast(kText, kGround), 4.5);
  EXPECT_GE(contrast(kQuiet, kGround), 4.5);
  EXPECT_GE(contrast(kQuiet, kDeep), 4.5);
  EXPECT_GE(contrast(kInk, kPaper), 4.5);
  EXPECT_GE(contrast(kInk, kThrift), 4.5);
  EXPECT_GE(contrast(kGorse, kDeep), 4.5);
  EXPECT_GE(contrast(kRust.lighter(112), kDeep), 4.5);
}

}  // namespace
}  // namespace glenhaze::desktop
