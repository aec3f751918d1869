// A first hour: somebody who knows nothing of the program brings in a folder of clips whose files say
// nothing, names the camera, straightens, steadies, compares, renders, changes one thing and renders again.
// In a window with a title bar, on a screen of 1280 × 800. With GLENHAZE_PICTURES set, a picture of each step
// is saved there, to be looked at.
#include <QComboBox>
#include <QDir>
#include <QGuiApplication>
#include <QLabel>
#include <QLineEdit>
#include <QScreen>
#include <QScrollBar>
#include <QSlider>
#include <QTimer>
#include <algorithm>

#include "desktop/compare/plain_controls.h"
#include "tests/interface/window_fixture.h"

namespace glenhaze::desktop {
namespace {

// A walk about the mill with a shaking hand, and views from many sides for the lens.
void film(const std::filesystem::path& path, int seed, int frames) {
  sim::CameraSetup camera = testing::smallCamera(LensModel::BrownConrady, 960, 540);
  camera.samples = 1;
  auto settings = testing::smallFilm(frames);
  settings.make = settings.model = "";
  settings.iso.reset();
  sim::writeFilm(path,
                 {camera, sim::millScene(),
                  [seed](double t) {
                    sim::Pose pose;
                    pose.position = {-0.5F, -0.5F, 3.0F};
                    pose.ry = 0.25 * std::sin(1.3 * t + seed);
                    pose.rx = 0.1 * std::sin(0.9 * t + 2 * seed);
                    pose.rz = 0.35 * std::sin(0.8 * t + seed);
                    sim::Shake shake;
                    shake.pitch = shake.yaw = 0.006;
                    shake.roll = 0.003;
                    shake.seed = static_cast<unsigned>(seed);
                    return sim::shaken(pose, shake, t);
                  }},
                 settings);
}

class FirstHour : public ::testing::Test {
 protected:
  void SetUp() override { QSettings().clear(); }
  std::string next() {
    const QPushButton* button = window.shootPlace().nextStep();
    return button->isHidden() ? std::string() : button->text().toStdString();
  }
  void pressNext() { press(window.shootPlace().nextStep()); }
  void press(QPushButton* button) {
    ASSERT_NE(button, nullptr);
    ASSERT_TRUE(button->isVisible() && button->isEnabled()) << button->text().toStdString();
    QTest::mouseClick(button, Qt::LeftButton);
  }
  void press(const char* text) {
    QPushButton* button = buttonSaying(window, QString::fromUtf8(text));
    ASSERT_NE(button, nullptr) << text;
    press(button);
  }
  void pressStation(const char* name) {
    for (QPushButton* b : window.benchPlace().findChildren<QPushButton*>())
      if (b->isVisible() && b->isCheckable() && b->text() == QString::fromUtf8(name)) return press(b);
    FAIL() << name;
  }
  bool known() {
    return eventually([&] { return !window.session().probing() && !window.session().standings().busy(); });
  }
  void keepPicture(const char* name) {
    QTest::qWait(150);
    const QString folder = qEnvironmentVariable("GLENHAZE_PICTURES");
    if (folder.isEmpty()) return;
    QDir().mkpath(folder);
    QGuiApplication::primaryScreen()->grabWindow(0).save(folder + QLatin1Char('/') + QString::fromUtf8(name) +
                                                         QStringLiteral(".png"));
  }
  testing::ScratchFolder folder;
  MainWindow window;
};

TEST_F(FirstHour, FromAnEmptyWindowToFilmsThatAreUpToDate) {
  std::filesystem::create_directory(folder / "card");
  film(folder / "card" / "AA_001.mp4", 1, 60);
  film(folder / "card" / "AA_002.mp4", 4, 20);
  film(folder / "card" / "AA_003.mp4", 6, 20);
  window.show();
  ASSERT_TRUE(QTest::qWaitForWindowExposed(&window));
  QTest::qWait(300);
  // The window with its title bar fits the screen.
  const QRect room = window.screen()->availableGeometry();
  EXPECT_TRUE(room.contains(window.frameGeometry()))
      << window.frameGeometry().width() << " × " << window.frameGeometry().height();
  EXPECT_NE(buttonSaying(window, QStringLiteral("Bring in footage…")), nullptr);
  keepPicture("1-empty");

  window.takePaths({QString::fromStdString((folder / "card").string())});
  ASSERT_TRUE(known());
  ASSERT_EQ(window.session().plans().size(), 3U);
  window.session().save(QString::fromStdString((folder / "card" / "week.glenhaze-shoot.json").string()));
  EXPECT_EQ(next(), "Name the camera of 3 clips");
  keepPicture("2-brought-in");

  // The dialog has an event loop of its own: whoever answers it waits until it is there.
  QTimer answer;
  answer.setInterval(100);
  QObject::connect(&answer, &QTimer::timeout, &window, [&] {
    QWidget* dialog = QApplication::activeModalWidget();
    auto* camera = dialog != nullptr ? named<QComboBox>(*dialog, QStringLiteral("Camera")) : nullptr;
    if (camera == nullptr) return;
    answer.stop();
    EXPECT_TRUE(room.contains(dialog->frameGeometry()));
    QTest::keyClicks(camera->lineEdit(), QStringLiteral("Sandpiper 2"));
    keepPicture("3-named");
    QTest::mouseClick(buttonSaying(*dialog, QStringLiteral("Keep these answers")), Qt::LeftButton);
  });
  answer.start();
  pressNext();
  ASSERT_TRUE(known());
  EXPECT_EQ(next(), "Measure the lens of Sandpiper 2");

  pressNext();
  ASSERT_EQ(window.place(), MainWindow::Bench);
  press("From edges");
  press("Find edges");
  LensState& lens = window.benchPlace().lens().state();
  ASSERT_TRUE(eventually([&] { return !lens.busy(); }));
  ASSERT_TRUE(lens.edgeFinding()) << lens.trouble().toStdString();
  keepPicture("4-lens");
  press("Put into profile");
  ASSERT_EQ(window.session().profiles().size(), 1U);
  EXPECT_EQ(window.session().profiles()[0].camera.name, "Sandpiper 2");

  pressStation("Stabilization");
  ASSERT_TRUE(eventually([&] { return !window.session().motion().busy(); }));
  keepPicture("5-steady");
  press("Put into profile");
  EXPECT_TRUE(window.session().profiles()[0].stabilization);

  window.go(MainWindow::Compare);
  ASSERT_TRUE(eventually([&] {
    return window.comparePlace().settled() && !window.session().motion().busy() &&
           window.comparePlace().state().motion();
  }));
  for (QScrollBar* bar : window.comparePlace().findChildren<QScrollBar*>())
    EXPECT_FALSE(bar->isVisible() && bar->maximum() > bar->minimum()) << "nothing has to be scrolled for";
  keepPicture("6-compare");

  window.go(MainWindow::Shoot);
  ASSERT_TRUE(known());
  EXPECT_EQ(next(), "Render 3 clips");
  pressNext();
  ASSERT_EQ(window.place(), MainWindow::Run);
  ASSERT_TRUE(eventually([&] { return !window.session().running(); }));
  EXPECT_EQ(window.session().batch()->summary().done, 3);
  keepPicture("7-rendered");
  window.go(MainWindow::Shoot);
  ASSERT_TRUE(known());
  EXPECT_EQ(next(), "");
  keepPicture("8-up-to-date");

  // One thing is changed, with the keyboard; only that is new.
  window.session().setCurrentClip(1);
  window.go(MainWindow::Compare);
  ASSERT_TRUE(eventually([&] { return window.comparePlace().settled(); }));
  auto* steady = named<QSlider>(window, QStringLiteral("Steadiness"));
  ASSERT_NE(steady, nullptr);
  steady->setFocus();
  for (int i = 0; i < 3; ++i) QTest::keyClick(steady, Qt::Key_Right);
  window.go(MainWindow::Shoot);
  ASSERT_TRUE(eventually([&] { return next() == "Render again 1 clip"; })) << next();
  keepPicture("9-changed");
  pressNext();
  ASSERT_TRUE(eventually([&] { return !window.session().running(); }));
  const auto items = window.session().batch()->items();
  ASSERT_EQ(items.size(), 3U);
  for (size_t i = 0; i < 3; ++i) EXPECT_EQ(items[i].was_there, i != 1) << items[i].why;
  window.go(MainWindow::Shoot);
  ASSERT_TRUE(known());
  EXPECT_EQ(next(), "");
  keepPicture("10-again");
  window.session().save(QString::fromStdString((folder / "card" / "week.glenhaze-shoot.json").string()));
}

}  // namespace
}  // namespace glenhaze::desktop
