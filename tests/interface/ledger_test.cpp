// The ledger's columns, the order of its clips, and giving clips to a camera.
#include <QListView>
#include <QMenu>
#include <QMimeData>

#include "desktop/run/run_place.h"
#include "desktop/run/run_sight.h"
#include "tests/desktop/stand_in_sound.h"
#include "tests/interface/window_fixture.h"

namespace glenhaze::desktop {
namespace {

class Ledger : public Window {
 protected:
  // Lengths other than the order of their names.
  void openFour() {
    for (const auto& [name, frames] : {std::pair{"clip10.mp4", 8}, {"clip9.mp4", 16}, {"clip1.mp4", 12}})
      testing::makeFilm(folder / name, testing::smallFilm(frames));
    auto untagged = testing::smallFilm(4);
    untagged.make = untagged.model = "";
    testing::makeFilm(folder / "x.mp4", untagged);
    std::filesystem::create_directory(folder / "profiles");
    Profile p = limpet(320, 180);
    createProfile(p, folder / "profiles" / suggestedFileName(p.camera), ExistingProfile::Refuse);
    Shoot shoot = shootFromFolder(folder.path());
    shoot.output.encode.codec = Codec::Ffv1;
    saveShoot(shoot, folder / "s.glenhaze-shoot.json");
    openSaved();
  }
  QStringList rows() {
    QStringList names;
    const LedgerModel& model = window->shootPlace().model();
    for (int i = 0; i < model.rowCount(); ++i)
      if (model.clipAt(model.index(i)) >= 0) names << model.data(model.index(i), Qt::DisplayRole).toString();
    return names;
  }
  int clipNamed(const std::string& name) const {
    for (size_t i = 0; i < window->session().plans().size(); ++i)
      if (window->session().plans()[i].info.path.stem() == name) return static_cast<int>(i);
    return -1;
  }
};

TEST_F(Ledger, ClipsAreSortedByWhatOneLikes) {
  openFour();
  LedgerColumns& columns = window->shootPlace().columns();
  const QStringList as_brought = rows();
  columns.sortBy(LedgerColumns::Name, false);
  EXPECT_EQ(rows().join(QLatin1Char(' ')), QStringLiteral("clip1 clip9 clip10 x"));
  columns.sortNext(LedgerColumns::Name);
  EXPECT_TRUE(columns.falling());
  EXPECT_EQ(rows().join(QLatin1Char(' ')), QStringLiteral("clip10 clip9 clip1 x"));
  columns.sortNext(LedgerColumns::Length);
  EXPECT_EQ(rows().join(QLatin1Char(' ')), QStringLiteral("clip10 clip1 clip9 x"));
  columns.sortNext(LedgerColumns::Length);
  columns.sortNext(LedgerColumns::Length);
  EXPECT_EQ(rows(), as_brought);
  // What was set is there the next time.
  columns.sortBy(LedgerColumns::Length, true);
  EXPECT_EQ(LedgerColumns().sortedBy(), LedgerColumns::Length);
  EXPECT_TRUE(LedgerColumns().falling());
}

TEST_F(Ledger, ColumnsAreHiddenAndTheNameTakesTheirRoom) {
  openFour();
  LedgerColumns& columns = window->shootPlace().columns();
  const QRectF row(0, 0, 1180, 42);
  const double name = columns.area(LedgerColumns::Name, row).width();
  // Nothing lies over anything else.
  double right = 0;
  for (int c = 0; c < LedgerColumns::kColumns; ++c) {
    const QRectF area = columns.area(static_cast<LedgerColumns::Column>(c), row);
    EXPECT_GE(area.left(), right) << c;
    EXPECT_EQ(columns.at(area.center(), row), c);
    right = area.right();
  }
  columns.show(LedgerColumns::Noise, false);
  columns.show(LedgerColumns::Name, false);  // cannot go
  EXPECT_TRUE(columns.area(LedgerColumns::Noise, row).isEmpty());
  EXPECT_NEAR(columns.area(LedgerColumns::Name, row).width(), name + 146 + 12, 1);
  EXPECT_FALSE(LedgerColumns().shown(LedgerColumns::Noise));
  EXPECT_TRUE(LedgerColumns().shown(LedgerColumns::Name));
  QMenu menu;
  columns.fill(menu);
  for (QAction* a : menu.actions())
    if (a->text() == QStringLiteral("Noise")) a->trigger();
  EXPECT_TRUE(columns.shown(LedgerColumns::Noise));
}

// The smallest window that is promised leaves a row of some 960 px.
TEST_F(Ledger, NamesCanBeReadInANarrowWindow) {
  openFour();
  const LedgerColumns& columns = window->shootPlace().columns();
  for (const double width : {1180.0, 1100.0, 960.0, 900.0}) {
    const QRectF row(0, 0, width, 42);
    EXPECT_GE(columns.area(LedgerColumns::Name, row).width(), 140) << width;
    for (const auto column : {LedgerColumns::Lens, LedgerColumns::Finish, LedgerColumns::State})
      EXPECT_FALSE(columns.area(column, row).isEmpty()) << width;
    EXPECT_EQ(columns.area(LedgerColumns::Picture, row).isEmpty(), width < 1000) << width;
  }
}

TEST_F(Ledger, AClipIsDraggedOntoACamera) {
  openFour();
  Session& session = window->session();
  const int stranger = clipNamed("x"), own = clipNamed("clip1");
  ASSERT_GE(stranger, 0);
  EXPECT_EQ(session.plans()[static_cast<size_t>(stranger)].lens.kind, Coverage::Missing);
  LedgerModel& model = window->shootPlace().model();
  const std::unique_ptr<QMimeData> dragged(model.mimeData({model.indexOfClip(stranger)}));
  // Clips of no camera are none to give clips to.
  const std::unique_ptr<QMimeData> other(model.mimeData({model.indexOfClip(own)}));
  EXPECT_FALSE(model.canDropMimeData(other.get(), Qt::LinkAction, -1, -1, model.indexOfClip(stranger)));
  EXPECT_TRUE(model.canDropMimeData(dragged.get(), Qt::LinkAction, -1, -1, model.indexOfClip(own)));
  model.dropMimeData(dragged.get(), Qt::LinkAction, -1, -1, model.indexOfClip(own));
  EXPECT_NE(session.plans()[static_cast<size_t>(stranger)].lens.kind, Coverage::Missing);
  session.undoStack().undo();
  EXPECT_EQ(session.plans()[static_cast<size_t>(stranger)].lens.kind, Coverage::Missing);
  // The same by what the pointer does: over the list, and let go over the heading of the camera.
  QListView* list = window->shootPlace().ledger();
  QModelIndex heading = model.indexOfClip(own);
  while (model.clipAt(heading) >= 0) heading = model.index(heading.row() - 1);
  const QPoint at = list->visualRect(heading).center();
  QDragEnterEvent enter(at, Qt::CopyAction, dragged.get(), Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(list->viewport(), &enter);
  EXPECT_TRUE(enter.isAccepted());
  QDragMoveEvent move(at, Qt::CopyAction, dragged.get(), Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(list->viewport(), &move);
  EXPECT_TRUE(move.isAccepted());
  QDropEvent drop(QPointF(at), Qt::CopyAction, dragged.get(), Qt::LeftButton, Qt::NoModifier);
  QApplication::sendEvent(list->viewport(), &drop);
  EXPECT_NE(session.plans()[static_cast<size_t>(stranger)].lens.kind, Coverage::Missing);
}

TEST_F(Ledger, PinsStayWithTheirClip) {
  openFour();
  Session& session = window->session();
  const int clip = clipNamed("clip9");
  session.setCurrentClip(clip);
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  ASSERT_TRUE(eventually([&] { return compare.settled(); }));
  compare.addPin({80, 45});
  const auto pins = [&] { return session.plans()[static_cast<size_t>(clip)].clip.pins; };
  ASSERT_EQ(pins().size(), 1U);
  EXPECT_NEAR(pins()[0].x, 0.25, 1e-9);
  // A press on it takes it away again; both can be undone.
  compare.addPin({81, 45});
  EXPECT_TRUE(pins().empty());
  session.undoStack().undo();
  EXPECT_EQ(pins().size(), 1U);
  session.setCurrentClip(clipNamed("clip1"));
  session.setCurrentClip(clip);
  EXPECT_EQ(pins().size(), 1U);
}

TEST_F(Ledger, ARunShowsTheFrameItIsAtAndWhereItsTimeGoes) {
  openFour();
  window->session().startRun();
  window->go(MainWindow::Run);
  ASSERT_TRUE(eventually([&] { return !window->session().running(); }));
  const RunSight& sight = window->runPlace().sight();
  EXPECT_TRUE(sight.isVisible());
  EXPECT_FALSE(sight.picture().isNull());
  double all = 0;
  for (const double share : sight.shares()) all += share;
  EXPECT_NEAR(all, 1, 1e-9);
  EXPECT_GT(sight.shares()[RenderWatch::Place], 0);
}

TEST_F(Ledger, TheLoopIsHeardAndThePictureFollowsIt) {
  openFour();
  window->session().setCurrentClip(clipNamed("clip9"));
  window->go(MainWindow::Compare);
  ComparePlace& compare = window->comparePlace();
  // Here may be no device: without one it is said, and cannot be pressed.
  auto* button = buttonSaying(compare, QStringLiteral("Sound"));
  ASSERT_NE(button, nullptr);
  auto stand_in = std::make_unique<StandInSound>();
  StandInSound& heard = *stand_in;
  compare.hearThrough(std::move(stand_in));
  ASSERT_TRUE(eventually([&] { return compare.settled() && compare.sound().ready(); }));
  EXPECT_TRUE(button->isEnabled());
  button->click();
  QTest::keyClick(&compare, Qt::Key_P);
  ASSERT_TRUE(eventually([&] { return compare.sound().playing(); }));
  heard.heard += 5.5 / 30;
  const int64_t frame = compare.sound().frame();
  EXPECT_TRUE(eventually([&] { return compare.state().frame() == frame; }));
  // Elsewhere nothing plays on.
  window->go(MainWindow::Shoot);
  EXPECT_FALSE(compare.sound().playing());
}

}  // namespace
}  // namespace glenhaze::desktop
