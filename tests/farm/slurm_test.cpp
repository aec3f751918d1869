// A real Slurm with two nodes on this computer (tests/farm/slurm-cluster).
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <thread>

#include <nlohmann/json.hpp>

#include "core/base/files.h"
#include "core/base/program.h"
#include "core/treat/shoot.h"
#include "tests/support/believed.h"
#include "tests/support/footage.h"
#include "tests/support/process.h"
#include "tests/support/slurm_cluster.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;
using nlohmann::json;

class Slurm : public ::testing::Test {
 protected:
  void SetUp() override {
    setenv("XDG_DATA_HOME", (folder / "data").c_str(), 1);
    cluster = std::make_unique<testing::SlurmCluster>(folder / "cluster");
    if (!cluster->why_not().empty()) GTEST_SKIP() << cluster->why_not();
  }
  // Films of a few frames and a long one, without anything to be asked of them.
  void makeShoot(int count) {
    auto settings = testing::smallFilm(4);
    fs::create_directories(folder / "films");
    const fs::path first = testing::makeFilm(folder / "films/clip000.mp4", settings);
    for (int i = 1; i < count; ++i) {
      const std::string number = std::to_string(1000 + i).substr(1);
      fs::copy_file(first, folder / ("films/clip" + number + ".mp4"));
    }
    testing::makeFilm(folder / "films/long.mp4", testing::smallFilm(90));
    Shoot shoot = shootFromFolder(folder / "films");
    for (ShootClip& clip : shoot.clips) clip.by_itself = true;
    shoot.output.encode.codec = Codec::Ffv1;
    shoot.output.noise_on = shoot.output.shutter_on = shoot.output.stabilization_on = false;
    shoot.output.size = {160, 90};
    saveShoot(shoot, file);
  }
  testing::ProcessOutput run(const std::vector<std::string>& arguments, const std::string& name = "p") {
    fs::create_directories(folder / name);
    return testing::runProcess(GLENHAZE_CLI, arguments, folder / name);
  }
  static std::map<std::string, std::string> outputsIn(const fs::path& out) {
    std::map<std::string, std::string> all;
    for (const auto& entry : fs::directory_iterator(out))
      if (entry.is_regular_file() && entry.path().filename().native()[0] != '.')
        all[entry.path().filename()] = readFile(entry.path());
    return all;
  }
  void waitFor(const std::function<bool()>& what) {
    for (int i = 0; i < 1200 && !what(); ++i) std::this_thread::sleep_for(std::chrono::milliseconds(100));
    ASSERT_TRUE(what());
  }
  size_t resultsNow() const {
    std::error_code code;
    size_t n = 0;
    for (const auto& entry : fs::directory_iterator(folder / "rendered/.glenhaze-work/results", code))
      n += entry.path().extension() == ".json" ? 1 : 0;
    return n;
  }

  testing::ScratchFolder folder;
  std::string file = folder / "s.glenhaze-shoot.json";
  std::unique_ptr<testing::SlurmCluster> cluster;
};

// A node is killed in the middle: nothing is lost, nothing is there twice, and every file is the one that
// this computer makes by itself.
TEST_F(Slurm, ARunOverTwoNodesOfWhichOneDies) {
  const int count = testing::allCases() ? 200 : 24;
  makeShoot(count);
  ASSERT_EQ(run({"--threads", "1", "run", file}).exit_code, 0);
  const auto here = outputsIn(folder / "rendered");
  ASSERT_EQ(here.size(), static_cast<size_t>(count) + 1);
  fs::remove_all(folder / "rendered");
  testing::ProcessOutput made;
  std::jthread runner([&] {
    made = run({"run", file, "--on", "slurm", "--cores", "1", "--chunk", "1", "--json"}, "runner");
  });
  waitFor([&] { return resultsNow() >= 4; });
  EXPECT_TRUE(cluster->kill("two"));
  // Meanwhile, which is until Slurm misses the node, nobody else may hand over work into the same folder.
  const auto second = run({"run", file, "--on", "slurm"});
  EXPECT_EQ(second.exit_code, 2);
  EXPECT_THAT(second.err, ::testing::HasSubstr("already"));
  runner.join();
  ASSERT_EQ(made.exit_code, 0) << made.err << made.out;
  const json said = json::parse(made.out);
  EXPECT_EQ(said["clips"].size(), static_cast<size_t>(count) + 1);
  EXPECT_THAT(runProgram({"scontrol", "show", "job"}).out, ::testing::HasSubstr("Restarts=1"))
      << "a task was at work on the node that died";
  EXPECT_EQ(outputsIn(folder / "rendered"), here);
  EXPECT_FALSE(fs::exists(folder / "rendered/.glenhaze-work"));
  // A second one renders only what is missing: nothing, and then one.
  const auto again = run({"run", file, "--on", "slurm", "--json"});
  ASSERT_EQ(again.exit_code, 0) << again.err;
  const json all_again = json::parse(again.out);
  ASSERT_EQ(all_again["clips"].size(), static_cast<size_t>(count) + 1);
  for (const json& clip : all_again["clips"])
    EXPECT_THAT(clip["why"].get<std::string>(), ::testing::HasSubstr("earlier run"));
}

TEST_F(Slurm, AStoppedRunTakesItsWorkBack) {
  makeShoot(4);
  fs::create_directories(folder / "stopped");
  // Nobody works, so that all of it waits.
  runProgram({"scontrol", "update", "nodename=one,two", "state=drain", "reason=test"});
  const pid_t pid = testing::startProcess(GLENHAZE_CLI, {"run", file, "--on", "slurm", "--json"},
                                          folder / "stopped/out", folder / "stopped/err");
  const auto waiting = [] { return runProgram({"squeue", "--noheader", "--me", "--format=%F"}).out; };
  waitFor([&] { return !waiting().empty(); });
  EXPECT_EQ(::kill(pid, SIGINT), 0);
  waitFor([&] { return waiting().empty(); });
  waitFor([&] { return !fs::exists(folder / "rendered/.glenhaze-work"); });
  waitFor([&] { return readFile(folder / "stopped/out").find('}') != std::string::npos; });
  EXPECT_THAT(readFile(folder / "stopped/out"), ::testing::HasSubstr("Stopped by hand"));
  EXPECT_TRUE(outputsIn(folder / "rendered").empty());
  const auto refused = run({"run", file, "--on", "slurm", "--partition", "nowhere"});
  EXPECT_EQ(refused.exit_code, 1);
  EXPECT_THAT(refused.err, ::testing::HasSubstr("partition"));
}

}  // namespace
}  // namespace glenhaze
