// The good parts in the window: the clip over time, stretches by keys, suggestions, one film.
#include <QTableWidget>
#include <nlohmann/json.hpp>

#include "core/base/files.h"
#include "desktop/compare/moment_strip.h"
#include "desktop/run/reel_dialog.h"
#include "desktop/shoot/pick_dialog.h"
#include "tests/interface/window_fixture.h"

namespace glenhaze::desktop {
namespace {

class Picking : public Window {
 protected:
  void SetUp() override {
    Window::SetUp();
    testing::makeFilm(folder / "one.mp4", testing::smallFilm(90));
    openWithFilm(true);
  }
  const ShootClip& clip() { return window->session().shoot().clips[0]; }
  ComparePlace& compare() { return window->comparePlace(); }
};

TEST_F(Picking, StretchesAreKeptAndForgottenByKeys) {
  window->go(MainWindow::Compare);
  ASSERT_TRUE(eventually([&] { return compare().settled(); }));
  QTest::keyClick(&compare(), Qt::Key_K);
  EXPECT_TRUE(clip().stretches.empty());
  EXPECT_NE(compare().state().message(), QString()) << "it says what is missing";
  const auto keep = [&](int64_t in, int64_t out) {
    compare().state().goTo(in);
    QTest::keyClick(&compare(), Qt::Key_I);
    compare().state().goTo(out);
    QTest::keyClick(&compare(), Qt::Key_O);
    QTest::keyClick(&compare(), Qt::Key_K);
  };
  keep(50, 69);
  keep(10, 29);
  ASSERT_EQ(clip().stretches.size(), 2U);
  EXPECT_EQ(clip().stretches[0].frames, (FrameRange{10, 30}));
  EXPECT_EQ(clip().stretches[1].frames, (FrameRange{50, 70}));
  EXPECT_FALSE(clip().range) << "free for the next one";
  EXPECT_TRUE(compare().state().figures().contains(QStringLiteral("2 stretches")));
  // Both are rendered, and the ledger knows.
  window->session().startRun();
  ASSERT_TRUE(eventually([&] { return !window->session().running(); }));
  EXPECT_EQ(probe(folder / "rendered" / "one_2.mkv").frames, 20);
  ASSERT_TRUE(eventually([&] { return !window->session().standings().busy(); }));
  EXPECT_EQ(window->session().standings().of(0)->kind, ClipStatus::Kind::Rendered);
  compare().state().goTo(55);
  QTest::keyClick(&compare(), Qt::Key_K, Qt::ShiftModifier);
  EXPECT_EQ(clip().stretches.size(), 1U);
  QTest::keyClick(&compare(), Qt::Key_W);
  EXPECT_TRUE(clip().stretches.empty());
  for (int i = 0; i < 2; ++i) window->session().undoStack().undo();
  EXPECT_EQ(clip().stretches.size(), 2U);
}

TEST_F(Picking, TheClipIsShownOverTime) {
  window->go(MainWindow::Compare);
  ASSERT_TRUE(eventually([&] { return compare().settled(); }));
  MomentStrip& strip = compare().momentStrip();
  EXPECT_FALSE(strip.isVisible());
  QTest::keyClick(&compare(), Qt::Key_T);
  EXPECT_TRUE(strip.isVisible());
  ASSERT_TRUE(eventually([&] { return compare().moments().timeline().has_value(); }));
  EXPECT_TRUE(strip.textAt(1).contains(QStringLiteral("shake")));
  EXPECT_TRUE(strip.textAt(1).contains(QStringLiteral("sound")));
  // A click leads to its frame; three seconds wide.
  QTest::mouseClick(&strip, Qt::LeftButton, {}, QPoint(strip.width() - 4, 20));
  EXPECT_GT(compare().state().frame(), 85);
  const QImage before = strip.grab().toImage();
  compare().state().edit(QStringLiteral("keep"), [](ShootClip& c) { c.stretches = {{{30, 60}, "calm"}}; });
  EXPECT_NE(strip.grab().toImage(), before);
  EXPECT_TRUE(strip.textAt(1.5).contains(QStringLiteral("kept: calm")));
  EXPECT_FALSE(strip.textAt(0.5).contains(QStringLiteral("kept")));
  // Known at once another time: it is kept beside the shoot.
  QTest::keyClick(&compare(), Qt::Key_T);
  EXPECT_FALSE(strip.isVisible());
}

TEST_F(Picking, SuggestionsAreTakenOrRefusedOneByOne) {
  PickDialog dialog(window->session(), window.get());
  dialog.look();
  ASSERT_TRUE(eventually([&] { return !dialog.busy(); }));
  ASSERT_EQ(dialog.table()->rowCount(), 1) << "three seconds hold one stretch of two";
  EXPECT_FALSE(dialog.table()->item(0, 3)->text().isEmpty());
  QPushButton* take = buttonSaying(dialog, QStringLiteral("Keep those ticked"));
  ASSERT_NE(take, nullptr);
  EXPECT_TRUE(take->isEnabled());
  dialog.table()->item(0, 0)->setCheckState(Qt::Unchecked);
  EXPECT_FALSE(take->isEnabled()) << "nothing is left to keep";
  dialog.table()->item(0, 0)->setCheckState(Qt::Checked);
  dialog.take();
  ASSERT_EQ(clip().stretches.size(), 1U);
  EXPECT_NE(clip().stretches[0].reason, "");
  window->session().undoStack().undo();
  EXPECT_TRUE(clip().stretches.empty());
}

TEST_F(Picking, OneFilmAndACutList) {
  window->session().edit(QStringLiteral("keep"), [](Shoot& shoot) {
    shoot.clips[0].stretches = {{{0, 20}, ""}, {{40, 70}, ""}};
  });
  ReelDialog dialog(window->session(), window.get());
  dialog.setDissolve(0.2);
  EXPECT_TRUE(dialog.said().startsWith(QStringLiteral("2 parts"))) << dialog.said().toStdString();
  const std::string film = folder / "all.mkv";
  dialog.join(QString::fromStdString(film));
  ASSERT_TRUE(eventually([&] { return !dialog.busy(); }));
  EXPECT_TRUE(dialog.said().startsWith(QStringLiteral("Done"))) << dialog.said().toStdString();
  EXPECT_EQ(probe(film).frames, 20 + 30 - 6);
  dialog.writeCuts(QString::fromStdString(folder / "cuts.otio"));
  EXPECT_EQ(nlohmann::json::parse(readFile(folder / "cuts.otio")).at("OTIO_SCHEMA"), "Timeline.1");
  // Too long a dissolve is said at once, and cannot be pressed.
  dialog.setDissolve(2);
  EXPECT_TRUE(dialog.said().contains(QStringLiteral("too short")));
  EXPECT_FALSE(buttonSaying(dialog, QStringLiteral("Join into a film…"))->isEnabled());
}

}  // namespace
}  // namespace glenhaze::desktop
