// A run that is handed to Slurm from the window.
#include <QComboBox>

#include "desktop/run/run_place.h"
#include "desktop/run/run_where.h"
#include "tests/interface/window_fixture.h"
#include "tests/support/slurm_cluster.h"

namespace glenhaze::desktop {
namespace {

class FarmWindow : public Window {
 protected:
  void openTwo() {
    for (const char* name : {"a.mp4", "b.mp4"}) testing::makeFilm(folder / name, testing::smallFilm(6));
    Shoot shoot = shootFromFolder(folder.path());
    for (ShootClip& clip : shoot.clips) clip.by_itself = true;
    shoot.output.noise_on = shoot.output.shutter_on = shoot.output.stabilization_on = false;
    shoot.output.size = {160, 90};
    shoot.output.encode.codec = Codec::Ffv1;
    saveShoot(shoot, folder / "s.glenhaze-shoot.json");
    openSaved();
    window->go(MainWindow::Run);
    where = window->runPlace().findChild<RunWhere*>();
    choice = where->findChild<QComboBox*>();
  }
  RunWhere* where = nullptr;
  QComboBox* choice = nullptr;
};

TEST_F(FarmWindow, WhereIsAskedOnlyWhereThereIsAChoice) {
  qputenv("SLURM_CONF", "/nowhere/slurm.conf");
  openTwo();
  QTest::qWait(300);
  EXPECT_FALSE(where->isVisible());
  EXPECT_FALSE(window->session().farm());
  qunsetenv("SLURM_CONF");
}

TEST_F(FarmWindow, ARunIsRenderedBySlurm) {
  const testing::SlurmCluster cluster(folder / "cluster");
  if (!cluster.why_not().empty()) GTEST_SKIP() << cluster.why_not();
  openTwo();
  ASSERT_TRUE(eventually([&] { return where->isVisible(); }));
  ASSERT_EQ(choice->count(), 2);
  EXPECT_FALSE(window->session().farm()) << "this computer, unless one says otherwise";
  choice->setCurrentIndex(1);
  ASSERT_TRUE(window->session().farm());
  EXPECT_EQ(window->session().farm()->slurm.partition, "all");
  window->session().startRun();
  EXPECT_TRUE(window->session().runsElsewhere());
  EXPECT_FALSE(where->isEnabled());
  ASSERT_TRUE(eventually([&] { return !window->session().running(); }));
  for (const RunItem& item : window->session().runItems()) EXPECT_EQ(item.state, RunState::Done) << item.why;
  EXPECT_EQ(probe(folder / "rendered/a.mkv").frames, 6);
  EXPECT_TRUE(where->isEnabled());
  // What Slurm does not take is said.
  QString said;
  QObject::connect(&window->session(), &Session::failed, [&](const QString& what) { said = what; });
  FarmOptions nowhere = *window->session().farm();
  nowhere.slurm.partition = "nowhere";
  window->session().setFarm(nowhere);
  std::filesystem::remove(folder / "rendered/a.mkv");
  window->session().startRun();
  ASSERT_TRUE(eventually([&] { return !window->session().running(); }));
  EXPECT_TRUE(said.contains(QStringLiteral("partition"))) << said.toStdString();
  QSettings().remove(QStringLiteral("run/partition"));
}

}  // namespace
}  // namespace glenhaze::desktop
