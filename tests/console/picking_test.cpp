// The good parts of clips from the console: suggested, kept, joined, handed over.
#include <gtest/gtest.h>

#include <atomic>
#include <thread>

#include <nlohmann/json.hpp>

#include "core/base/files.h"
#include "core/media/clip_info.h"
#include "core/treat/shoot.h"
#include "tests/support/footage.h"
#include "tests/support/process.h"

namespace glenhaze {
namespace {
using nlohmann::json;

class PickingConsole : public ::testing::Test {
 protected:
  void SetUp() override {
    setenv("XDG_DATA_HOME", (folder / "data").c_str(), 1);
    for (const char* name : {"a.mp4", "b.mp4"}) {
      auto settings = testing::smallFilm(90);
      settings.make = settings.model = "";
      testing::makeFilm(folder / name, settings);
    }
    Shoot shoot = shootFromFolder(folder.path());
    for (ShootClip& clip : shoot.clips) clip.by_itself = true;
    shoot.output.encode.codec = Codec::Ffv1;
    shoot.output.stabilization_on = shoot.output.shutter_on = shoot.output.noise_on = false;
    saveShoot(shoot, file);
  }
  testing::ProcessOutput run(const std::vector<std::string>& arguments) {
    return testing::runProcess(GLENHAZE_CLI, arguments, folder.path());
  }
  testing::ScratchFolder folder;
  std::string file = folder / "s.glenhaze-shoot.json";
};

TEST_F(PickingConsole, StretchesAreKeptJoinedAndHandedOver) {
  const auto kept = run({"shoot", "keep", file, "a.mp4", "0.5-1.0", "1.5-2.5", "--json"});
  ASSERT_EQ(kept.exit_code, 0) << kept.err;
  const json stretches = json::parse(kept.out)["stretches"];
  ASSERT_EQ(stretches.size(), 2U);
  EXPECT_NEAR(stretches[1]["from_s"].get<double>(), 1.5, 0.02);
  EXPECT_EQ(run({"shoot", "keep", file, "a.mp4", "7-8"}).exit_code, 2) << "behind its end";
  EXPECT_EQ(run({"shoot", "keep", file, "none.mp4", "0-1"}).exit_code, 2);
  EXPECT_EQ(run({"shoot", "keep", file, "b.mp4", "0-0.5"}).exit_code, 0);

  const std::string film = folder / "all.mkv";
  const auto joined = run({"run", file, "--join", film, "--dissolve", "0.2", "--json"});
  ASSERT_EQ(joined.exit_code, 0) << joined.err << joined.out;
  const json made = json::parse(joined.out);
  EXPECT_EQ(made["parts"], 3);
  EXPECT_EQ(probe(film).frames, 15 + 30 + 15 - 2 * 6);
  EXPECT_EQ(made["frames"], probe(film).frames);

  for (const char* name : {"list.edl", "list.otio"}) {
    const auto cuts = run({"shoot", "cuts", file, "--out", folder / name, "--dissolve", "0.2", "--json"});
    ASSERT_EQ(cuts.exit_code, 0) << cuts.err;
    EXPECT_EQ(json::parse(cuts.out)["frames"], probe(film).frames);
    EXPECT_EQ(run({"shoot", "cuts", file, "--out", folder / name}).exit_code, 1) << "it is there already";
  }
  EXPECT_NE(readFile(folder / "list.edl").find("003  "), std::string::npos);
  EXPECT_NE(readFile(folder / "list.otio").find("a_2.mkv"), std::string::npos);
  EXPECT_EQ(run({"shoot", "cuts", file, "--out", folder / "list.xyz"}).exit_code, 2);
  // Footage stays, whatever is allowed.
  EXPECT_NE(run({"run", file, "--join", folder / "a.mp4"}).exit_code, 0);
  EXPECT_EQ(probe(folder / "a.mp4").frames, 90);

  // Each stretch on its own, of one clip alone.
  const auto alone = run({"run", file, "--clip", "a.mp4", "--json"});
  ASSERT_EQ(alone.exit_code, 0) << alone.err;
  EXPECT_EQ(json::parse(alone.out)["clips"].size(), 2U);
  EXPECT_EQ(probe(folder / "rendered" / "a_2.mkv").frames, 30);
  EXPECT_FALSE(std::filesystem::exists(folder / "rendered" / "b_1.mkv"));
  EXPECT_EQ(run({"run", file, "--clip", "none.mp4"}).exit_code, 2);

  // Before and after, of its first stretch.
  const auto shown =
      run({"shoot", "show", file, "a.mp4", "--kind", "circle", "--out", folder / "show.mp4", "--json"});
  ASSERT_EQ(shown.exit_code, 0) << shown.err;
  EXPECT_EQ(json::parse(shown.out)["frames"], 15);
  EXPECT_EQ(probe(folder / "show.mp4").frames, 15);

  EXPECT_EQ(run({"shoot", "keep", file, "a.mp4", "--clear"}).exit_code, 0);
  EXPECT_TRUE(loadShoot(file).clips[0].stretches.empty());
}

// Each clip by a process of its own, two at a time: nothing is lost and nothing is made twice.
TEST_F(PickingConsole, JobsAreListedForManyProcesses) {
  const auto listed = run({"run", file, "--list-jobs", "--json"});
  ASSERT_EQ(listed.exit_code, 0) << listed.err;
  const json jobs = json::parse(listed.out)["jobs"];
  ASSERT_EQ(jobs.size(), 2U);
  EXPECT_FALSE(std::filesystem::exists(folder / "rendered"));
  std::vector<std::jthread> workers;
  std::atomic<int> failed = 0;
  for (const json& job : jobs)
    workers.emplace_back([&, arguments = job["arguments"].get<std::vector<std::string>>()] {
      if (run({arguments.begin() + 1, arguments.end()}).exit_code != 0) ++failed;
    });
  workers.clear();
  EXPECT_EQ(failed, 0);
  for (const char* name : {"a.mkv", "b.mkv"})
    EXPECT_TRUE(std::filesystem::exists(folder / "rendered" / name)) << name;
  const auto again = run({"run", file, "--list-jobs", "--json"});
  EXPECT_TRUE(json::parse(again.out)["jobs"].empty()) << "all is rendered";
  const auto whole = run({"run", file, "--json"});
  const json said = json::parse(whole.out);
  ASSERT_EQ(said.at("clips").size(), 2U);
  for (const json& clip : said.at("clips"))
    EXPECT_NE(clip["why"].get<std::string>().find("earlier run"), std::string::npos) << clip;
}

// As a line for a shell a name may hold anything.
TEST_F(PickingConsole, AJobIsALineThatAShellTakes) {
  std::filesystem::rename(folder / "b.mp4", folder / "b's \"one\" $HOME.mp4");
  Shoot shoot = loadShoot(file);
  shoot.clips[1].path = folder / "b's \"one\" $HOME.mp4";
  saveShoot(shoot, file);
  const auto listed = run({"run", file, "--list-jobs"});
  ASSERT_EQ(listed.exit_code, 0) << listed.err;
  const auto echoed = testing::runProcess(
      "/bin/sh", {"-c", "printf '%s\n' " + listed.out.substr(listed.out.find('\n') + 1)}, folder.path());
  EXPECT_NE(echoed.out.find("b's \"one\" $HOME.mp4\n"), std::string::npos) << echoed.out;
}

TEST_F(PickingConsole, GoodPartsAreSuggestedAndTakenWhenAskedFor) {
  const auto found = run({"shoot", "pick", file, "--total", "4", "--json"});
  ASSERT_EQ(found.exit_code, 0) << found.err;
  const json suggested = json::parse(found.out);
  ASSERT_FALSE(suggested["stretches"].empty());
  EXPECT_NE(suggested["stretches"][0]["reason"], "");
  EXPECT_NEAR(suggested["total_s"].get<double>(), 4, 1.01);
  EXPECT_TRUE(loadShoot(file).clips[0].stretches.empty()) << "nothing is kept that was not asked for";
  ASSERT_EQ(run({"shoot", "pick", file, "--total", "4", "--take"}).exit_code, 0);
  size_t kept = 0;
  for (const ShootClip& clip : loadShoot(file).clips) kept += clip.stretches.size();
  EXPECT_EQ(kept, suggested["stretches"].size());
}

}  // namespace
}  // namespace glenhaze
