// All profiles in the window: looked at, compared, renamed, copied, sent, received, brought back.
#include <QListWidget>
#include <QTableWidget>

#include "core/profile/bundle.h"
#include "core/profile/library.h"
#include "desktop/library_dialog.h"
#include "tests/interface/window_fixture.h"

namespace glenhaze::desktop {
namespace {

class Library : public Window {
 protected:
  void SetUp() override {
    Window::SetUp();
    open(true);
    Profile other = limpet(640, 360);
    other.camera.name = "Skerrel D3";
    createProfile(other, profileLibraryFolder() / suggestedFileName(other.camera), ExistingProfile::Replace);
    dialog = std::make_unique<LibraryDialog>(window->session(), window.get());
    dialog->show();
  }
  void TearDown() override { std::filesystem::remove_all(profileLibraryFolder()); }
  QString text(int row, int column) { return dialog->table()->item(row, column)->text(); }
  int rowOf(const char* camera) {
    for (int row = 0; row < dialog->table()->rowCount(); ++row)
      if (text(row, 0) == QString::fromUtf8(camera)) return row;
    return -1;
  }
  void choose(std::initializer_list<const char*> cameras) {
    dialog->table()->clearSelection();
    for (const char* camera : cameras)
      dialog->table()->selectionModel()->select(dialog->table()->model()->index(rowOf(camera), 0),
                                                QItemSelectionModel::Select | QItemSelectionModel::Rows);
  }
  std::unique_ptr<LibraryDialog> dialog;
};

TEST_F(Library, SaysWhatEachHoldsAndWhoUsesIt) {
  ASSERT_EQ(dialog->table()->rowCount(), 2);
  const int mine = rowOf("Limpet A1"), other = rowOf("Skerrel D3");
  ASSERT_GE(mine, 0);
  ASSERT_GE(other, 0);
  EXPECT_TRUE(text(mine, 2).contains(QStringLiteral("0.21")));
  EXPECT_EQ(text(mine, 3), QStringLiteral("—"));
  EXPECT_EQ(text(mine, 7), QStringLiteral("2 clips"));
  EXPECT_EQ(text(other, 7), QStringLiteral("0 clips"));
  EXPECT_TRUE(text(mine, 8).startsWith(QStringLiteral("this shoot")));
  EXPECT_TRUE(text(other, 8).startsWith(QStringLiteral("your library")));
  choose({"Limpet A1", "Skerrel D3"});
  EXPECT_TRUE(dialog->details().contains(QStringLiteral("Limpet A1")));
  EXPECT_TRUE(dialog->details().contains(QStringLiteral("Skerrel D3"))) << "side by side";
}

TEST_F(Library, RenamedCopiedAndUndone) {
  choose({"Limpet A1"});
  dialog->rename(QStringLiteral("Limpet A2"));
  EXPECT_GE(rowOf("Limpet A2"), 0);
  EXPECT_EQ(window->session().plans()[0].match.kind, MatchKind::None) << "files name the old one";
  window->session().undoStack().undo();
  EXPECT_GE(rowOf("Limpet A1"), 0);
  EXPECT_EQ(window->session().plans()[0].match.kind, MatchKind::Exact);
  choose({"Limpet A1"});
  CameraMode mode = window->session().profiles()[0].camera;
  mode.view = "narrow";
  dialog->copyFor(mode);
  ASSERT_EQ(dialog->table()->rowCount(), 3);
  choose({"Skerrel D3"});
  mode = {};
  mode.name = "Skerrel D3";
  mode.width = 1280;
  mode.height = 720;
  dialog->copyFor(mode);
  ASSERT_EQ(dialog->table()->rowCount(), 4);
  bool without_lens = false;
  for (int row = 0; row < 4; ++row)
    without_lens = without_lens ||
                   (text(row, 1).contains(QStringLiteral("1280")) && text(row, 2) == QStringLiteral("—"));
  EXPECT_TRUE(without_lens) << "a lens belongs to its picture size";
}

TEST_F(Library, AnEarlierStateIsBroughtBack) {
  Profile changed = window->session().profiles()[0];
  const Lens before = changed.lens->lens;
  changed.lens->lens.k[0] += 0.05;
  window->session().putProfile(QStringLiteral("lens"), changed);
  choose({"Limpet A1"});
  ASSERT_EQ(dialog->history()->count(), 1);
  EXPECT_TRUE(dialog->history()->item(0)->text().contains(QStringLiteral("lens")));
  dialog->history()->setCurrentRow(0);
  dialog->bringBack();
  EXPECT_EQ(window->session().profiles()[0].lens->lens, before);
  window->session().undoStack().undo();
  EXPECT_NE(window->session().profiles()[0].lens->lens, before);
}

TEST_F(Library, SentAndReceived) {
  choose({"Limpet A1", "Skerrel D3"});
  const QString zip = QString::fromStdString(folder / "sent.zip");
  dialog->exportTo(zip);
  EXPECT_EQ(readBundle(folder / "sent.zip").size(), 2U);
  std::filesystem::remove_all(folder / "profiles");
  std::filesystem::remove_all(profileLibraryFolder());
  window->takePaths({zip});  // as if dropped
  ASSERT_EQ(dialog->table()->rowCount(), 2);
  EXPECT_EQ(window->session().plans()[0].lens.kind, Coverage::Measured);
}

}  // namespace
}  // namespace glenhaze::desktop
