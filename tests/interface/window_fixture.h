#pragma once
// The real window on a folder of two small clips, one of them cut off.

#include <gtest/gtest.h>

#include <QPushButton>
#include <QSettings>
#include <QTest>
#include <memory>

#include "core/profile/edit.h"
#include "desktop/main_window.h"
#include "tests/desktop/wait.h"
#include "tests/support/footage.h"
#include "tests/support/profiles.h"

namespace glenhaze::desktop {

template <typename Widget>
Widget* named(QWidget& parent, const QString& name) {
  for (Widget* w : parent.findChildren<Widget*>())
    if (w->accessibleName() == name) return w;
  return nullptr;
}

inline QPushButton* buttonSaying(QWidget& parent, const QString& text) {
  for (QPushButton* b : parent.findChildren<QPushButton*>())
    if (b->text() == text && b->isVisibleTo(&parent)) return b;
  return nullptr;
}

inline Profile limpet(int width, int height) { return testing::limpetProfile(width, height); }

class Window : public ::testing::Test {
 protected:
  // What an earlier test has left open or moved.
  void SetUp() override { QSettings().clear(); }
  testing::ScratchFolder folder;
  std::unique_ptr<MainWindow> window;

  void open(bool with_profile) {
    testing::makeFilm(folder / "one.mp4", testing::smallFilm(8));
    openWithFilm(with_profile);
  }
  /// The same with a first clip, one.mp4, that stands in the folder already.
  void openWithFilm(bool with_profile) {
    auto cut = testing::smallFilm(30);
    cut.keep_share = 0.5;
    testing::makeFilm(folder / "two.mp4", cut);
    Shoot shoot = shootFromFolder(folder.path());
    shoot.output.encode.codec = Codec::Ffv1;
    saveShoot(shoot, folder / "s.glenhaze-shoot.json");
    if (with_profile) {
      std::filesystem::create_directory(folder / "profiles");
      Profile p = limpet(320, 180);
      createProfile(p, folder / "profiles" / suggestedFileName(p.camera), ExistingProfile::Refuse);
    }
    openSaved();
  }
  /// The shoot that is saved in the folder.
  void openSaved() {
    window = std::make_unique<MainWindow>();
    window->resize(1280, 800);
    window->show();
    ASSERT_TRUE(window->openPath(QString::fromStdString((folder / "s.glenhaze-shoot.json").string())));
    ASSERT_TRUE(eventually([&] { return !window->session().probing(); }));
  }
};

}  // namespace glenhaze::desktop
