// The console as others use it: real processes, exit codes, one JSON object on standard output.
#include <gmock/gmock.h>
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <fstream>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/base/files.h"
#include "core/lens/bend.h"
#include "core/media/reader.h"
#include "core/profile/profile.h"
#include "core/run/record.h"
#include "tests/support/footage.h"
#include "tests/support/motion.h"
#include "tests/support/process.h"
#include "tests/support/steadiness.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;
using nlohmann::json;

struct Output : testing::ProcessOutput {
  json parsed() const { return json::parse(out); }
};

class Console : public ::testing::Test {
 protected:
  // Library and answers of the person who runs the tests stay untouched.
  void SetUp() override { setenv("XDG_DATA_HOME", (folder / "data").c_str(), 1); }
  testing::ScratchFolder folder;
  Output run(const std::vector<std::string>& arguments) {
    return {testing::runProcess(GLENHAZE_CLI, arguments, folder.path())};
  }
  std::string film(const std::string& name, int64_t frames = 8) {
    return testing::makeFilm(folder / name, testing::smallFilm(frames)).string();
  }
  std::string profile(const std::string& camera = "Limpet A1") {
    const std::string path = folder / "p.glenhaze.json";
    const Output o = run({"lens", "set", "--model", "brown-conrady", "--focal", "198,197", "--centre",
                          "160,89", "--coefficients", "-0.21,0.05,0,0,0", "--width", "320", "--height", "180",
                          "--camera", camera, "--out", path});
    EXPECT_EQ(o.exit_code, 0) << o.err;
    return path;
  }
};

TEST_F(Console, ProbeHasTheAgreedFields) {
  const Output o = run({"probe", "--json", film("a.mp4")});
  EXPECT_EQ(o.exit_code, 0);
  const json clip = o.parsed()["clips"][0];
  for (const char* key :
       {"path", "width", "height", "fps", "frames", "duration_s", "codec", "pixel_format", "bit_depth",
        "audio", "rotation", "variable_rate", "interlaced", "camera", "iso", "problems"})
    EXPECT_TRUE(clip.contains(key)) << key;
  EXPECT_EQ(clip["fps"], "30/1");
  EXPECT_EQ(clip["audio"], true);
  EXPECT_EQ(clip["iso"], 400);
  EXPECT_EQ(clip["camera"]["make"], "Limpet");
}

TEST_F(Console, ExitCodes) {
  EXPECT_EQ(run({"--help"}).exit_code, 0);
  EXPECT_EQ(run({"--version"}).exit_code, 0);
  EXPECT_EQ(run({}).exit_code, 2);
  EXPECT_EQ(run({"probe"}).exit_code, 2);
  EXPECT_EQ(run({"nonsense"}).exit_code, 2);
  const auto devices = run({"devices", "--json"});
  EXPECT_EQ(devices.exit_code, 0) << devices.err;
  EXPECT_TRUE(nlohmann::json::parse(devices.out).at("devices").is_array());
  EXPECT_EQ(run({"--device", "Lantern 9000", "devices"}).exit_code, 2);
  EXPECT_EQ(run({"probe", "/nowhere.mp4"}).exit_code, 3);
  EXPECT_EQ(run({"probe", film("a.mp4"), "/nowhere.mp4"}).exit_code, 1);
  EXPECT_EQ(run({"profile", "show", "/nowhere.json"}).exit_code, 3);
  EXPECT_EQ(run({"lens", "set", "--model", "division", "--focal", "-5", "--centre", "1,1", "--coefficients",
                 "0", "--width", "10", "--height", "10", "--camera", "x", "--out", folder / "x.json"})
                .exit_code,
            2);
  for (const std::string verb : {"probe", "lens", "profile", "apply", "run"})
    EXPECT_EQ(run({verb, "--help"}).exit_code, 0) << verb;
}

TEST_F(Console, MapGoesThereAndBack) {
  const std::string p = profile();
  writeFileAtomically(folder / "points.json", "[[10,20],[160,90],[310,170]]");
  const json there = run({"lens", "map", "--json", "--profile", p, "--direction", "undistort", "--points",
                          folder / "points.json"})
                         .parsed()["points"];
  writeFileAtomically(folder / "there.json", there.dump());
  const json back = run({"lens", "map", "--json", "--profile", p, "--direction", "distort", "--points",
                         folder / "there.json"})
                        .parsed()["points"];
  EXPECT_NEAR(back[0][0], 10.0, 1e-6);
  EXPECT_NEAR(back[2][1], 170.0, 1e-6);
  EXPECT_LT(there[0][0], 10.0);  // a barrel's corner moves outward
}

TEST_F(Console, EdgesFromMarksWriteAProfile) {
  const LensMap map(testing::testLens(LensModel::Division, 1280, 720));
  json marks = {{"width", 1280}, {"height", 720}, {"edges", json::array()}};
  for (int n = 0; n < 10; ++n) {
    json edge = json::array();
    for (int i = 0; i <= 20; ++i) {
      const Point a =
          n % 2 != 0 ? Point{-100 + 74.0 * i, 40 + 70.0 * n} : Point{60 + 125.0 * n, -60 + 42.0 * i};
      const auto p = map.distort(a);
      if (p) edge.push_back({p->x, p->y});
    }
    marks["edges"].push_back(edge);
  }
  writeFileAtomically(folder / "marks.json", marks.dump());
  const Output o = run({"lens", "edges", "--json", "--marks", folder / "marks.json", "--camera", "X", "--out",
                        folder / "e.glenhaze.json"});
  ASSERT_EQ(o.exit_code, 0) << o.err;
  const json j = o.parsed();
  EXPECT_GT(j["straightness_before_px"]["rms"], 3.0);
  EXPECT_LT(j["straightness_after_px"]["rms"], 0.1);
  EXPECT_EQ(j["edges"].size(), 10U);
  EXPECT_EQ(run({"profile", "check", folder / "e.glenhaze.json"}).exit_code, 0);
}

TEST_F(Console, TheLensIsToldFromFootageOrNotAtAll) {
  const sim::CameraSetup setup = testing::filmLookingAbout(folder / "about.mp4");
  // Of two clips the one that tells it is taken.
  const std::string standing = film("a.mp4", 30);
  const Output o = run({"lens", "footage", "--json", "--camera", "X", "--out", folder / "f.glenhaze.json",
                        standing, folder / "about.mp4"});
  ASSERT_EQ(o.exit_code, 0) << o.err;
  const json j = o.parsed();
  EXPECT_TRUE(j["usable"]);
  EXPECT_EQ(j["why"], "");
  EXPECT_EQ(j["clips"].size(), 2U);
  const double focal = j["focal_px"][0], spread = j["stddev"]["fx"];
  EXPECT_NEAR(focal, setup.lens.fx, 3 * spread);
  EXPECT_NEAR(j["bend_at_corner_px"]["value"],
              bendAt(setup.lens, {j["bend_at_corner_px"]["at"][0], j["bend_at_corner_px"]["at"][1]}),
              3 * j["bend_at_corner_px"]["uncertainty"].get<double>());
  EXPECT_NEAR(j["readout_ms"], 15, 0.75);
  EXPECT_EQ(j["direction"], "down");
  const Profile written = loadProfile(folder / "f.glenhaze.json");
  EXPECT_EQ(written.lens->method, "footage");
  EXPECT_TRUE(written.shutter.has_value());

  // Treated by itself the clip is straightened by the same lens.
  const json own = run({"apply", "--json", "--by-itself", "--only", "lens,stabilization", "--out",
                        folder / "out", folder / "about.mp4"})
                       .parsed()["clips"][0];
  EXPECT_EQ(own["state"], "done");
  EXPECT_THAT(own["why"].get<std::string>(), ::testing::HasSubstr("by the clip's own motion"));
  EXPECT_GT(own["figures"]["corner_enlargement"], 1.02);

  // A camera that stands: nothing is written, and the reason is said.
  const Output still =
      run({"lens", "footage", "--json", "--camera", "X", "--out", folder / "g.glenhaze.json", standing});
  EXPECT_EQ(still.exit_code, 3);
  EXPECT_FALSE(std::filesystem::exists(folder / "g.glenhaze.json"));
}

TEST_F(Console, ApplyMatchesSkipsAndRefusesToReplace) {
  const std::string p = profile(), clip = film("a.mp4");
  auto stranger = testing::smallFilm(4);
  stranger.make = "Tern";
  stranger.model = "P2";
  const std::string other = testing::makeFilm(folder / "b.mp4", stranger).string();
  const Output o =
      run({"apply", "--json", "--profile", p, "--out", folder / "out", "--codec", "ffv1", clip, other});
  EXPECT_EQ(o.exit_code, 1);
  const json clips = o.parsed()["clips"];
  EXPECT_EQ(clips[0]["state"], "done");
  EXPECT_EQ(clips[0]["frames"], 8);
  EXPECT_GT(clips[0]["figures"]["corner_enlargement"], 1.0);
  EXPECT_EQ(clips[1]["state"], "skipped");
  EXPECT_TRUE(fs::exists(folder / "out" / "a.mkv"));
  EXPECT_EQ(
      run({"apply", "--profile", p, "--out", folder / "out", "--codec", "ffv1", "--match", "any", other})
          .exit_code,
      0);
  // Another setting: the output is in the way.
  const Output again = run(
      {"apply", "--json", "--profile", p, "--out", folder / "out", "--codec", "ffv1", "--fill", "0", clip});
  EXPECT_EQ(again.exit_code, 1);
  EXPECT_NE(again.parsed()["clips"][0]["why"].get<std::string>().find("exists"), std::string::npos);
  EXPECT_EQ(run({"apply", "--profile", p, "--out", folder / "out", "--codec", "ffv1", "--fill", "0",
                 "--overwrite", clip})
                .exit_code,
            0);
}

TEST_F(Console, SettingsThatMakeNoSenseAreRefused) {
  const std::string p = profile(), clip = film("a.mp4", 3);
  for (const char* set :
       {"noise.lumma=1", "noise.luma", "noise.luma=nan", "noise.luma=lots", "lens.amount=nan",
        "lens.amount=1,5", "stabilization.pan=inf", "shutter.local=maybe", "nothing=1", "output.bit_rate=-5"})
    EXPECT_EQ(run({"apply", "--profile", p, "--out", folder / "out", "--set", set, clip}).exit_code, 2)
        << set;
  for (const auto& [option, value] : std::vector<std::pair<std::string, std::string>>{{"--fill", "nan"},
                                                                                      {"--iso", "-400"},
                                                                                      {"--size", "320x0"},
                                                                                      {"--size", "1920x1"},
                                                                                      {"--size", "1e9x1e9"},
                                                                                      {"--size", "wide"}})
    EXPECT_EQ(run({"apply", "--profile", p, "--out", folder / "out", option, value, clip}).exit_code, 2)
        << option << value;
  EXPECT_EQ(run({"lens",           "set",   "--model",  "division",
                 "--focal",        "100",   "--centre", "10,10",
                 "--coefficients", "0",     "--width",  "100",
                 "--height",       "80",    "--camera", "X",
                 "--fps",          "25fps", "--out",    folder / "x.glenhaze.json"})
                .exit_code,
            2);
  EXPECT_EQ(run({"noise", "measure", "--iso", "nan", clip}).exit_code, 2);
  EXPECT_FALSE(fs::exists(folder / "out"));
}

TEST_F(Console, AProfileIsAddedToAndNeverDropped) {
  const std::string p = profile();
  ASSERT_EQ(run({"shutter", "set", "--readout-ms", "14.8", "--direction", "down", "--into", p}).exit_code, 0);
  const std::vector<std::string> lens = {"lens",     "set",    "--model",        "division", "--focal", "200",
                                         "--centre", "160,90", "--coefficients", "-0.1",     "--width", "320",
                                         "--height", "180"};
  auto with = [&](std::vector<std::string> more) {
    more.insert(more.begin(), lens.begin(), lens.end());
    return run(more).exit_code;
  };
  const std::string before = readFile(p);
  EXPECT_EQ(with({"--camera", "Limpet A1", "--out", p}), 1);
  EXPECT_EQ(readFile(p), before);
  EXPECT_EQ(with({"--into", p}), 0);
  const json now = json::parse(readFile(p));
  EXPECT_EQ(now["lens"]["model"], "division");
  EXPECT_EQ(now["shutter"]["readout_ms"], 14.8);
  EXPECT_EQ(with({"--camera", "Limpet A1", "--overwrite", "--out", p}), 0);
  EXPECT_FALSE(json::parse(readFile(p)).contains("shutter"));
  EXPECT_EQ(with({"--camera", "Limpet A1"}), 2);
}

TEST_F(Console, AJsonAnswerIsJsonWhateverBytesANameHolds) {
  const std::string odd = folder / "caf\xE9 \x01.mp4";
  fs::rename(film("a.mp4", 3), odd);
  const Output probed = run({"probe", "--json", odd, folder / "missing\xFF.mp4"});
  EXPECT_EQ(probed.parsed()["clips"].size(), 2U);
  const Output applied = run({"apply", "--json", "--profile", profile(), "--out", folder / "out\xFE", odd});
  EXPECT_EQ(applied.parsed()["clips"][0]["state"], "done") << applied.out;
  EXPECT_TRUE(fs::exists(folder / "out\xFE" / "caf\xE9 \x01.mp4"));
  EXPECT_TRUE(run({"profile", "export", "--json", "--as", "json", "--out", folder / "x", folder / "no\xFF"})
                  .parsed()
                  .contains("error"));
}

TEST_F(Console, OnlyNoiseWithoutACurveSaysSo) {
  const std::string clip = film("a.mp4");
  const Output o =
      run({"apply", "--json", "--profile", profile(), "--only", "noise", "--out", folder / "out", clip});
  EXPECT_EQ(o.exit_code, 1);
  EXPECT_NE(o.parsed()["clips"][0]["why"].get<std::string>().find("not measured"), std::string::npos)
      << o.out;
  EXPECT_FALSE(fs::exists(folder / "out" / "a.mp4"));
}

TEST_F(Console, OnlyNoiseMeasuredHereLeavesEveryPixelWhereItWas) {
  // The mill through a lens that bends: were the lens applied, the picture would differ by far more.
  auto clean = testing::smallCamera(), noisy = clean;
  noisy.noise = sim::sensorNoiseAt(1600);
  auto settings = testing::smallFilm(8);
  settings.codec = sim::FilmCodec::Ffv1;
  settings.iso = 1600;
  const std::string clip = testing::makeFilm(folder / "a.mkv", settings, noisy).string();
  const ClipInfo truth = probe(testing::makeFilm(folder / "truth.mkv", settings, clean));
  const std::string p = profile();
  ASSERT_EQ(run({"noise", "measure", "--iso", "1600", "--into", p, clip}).exit_code, 0);
  const Output o = run({"apply", "--json", "--profile", p, "--only", "noise", "--out", folder / "out",
                        "--codec", "ffv1", clip});
  ASSERT_EQ(o.exit_code, 0) << o.err;
  EXPECT_EQ(o.parsed()["clips"][0]["figures"]["iso"], 1600);
  const Frame wanted = readFrame(truth, 4);
  const double before = testing::lumaPsnr(readFrame(probe(clip), 4), wanted);
  EXPECT_GT(testing::lumaPsnr(readFrame(probe(folder / "out" / "a.mkv"), 4), wanted), before + 1);
}

TEST_F(Console, HotPixelsFoundWithTheLensCoveredGoIntoTheProfile) {
  const std::string p = profile();
  sim::CameraSetup setup = testing::smallCamera();
  setup.exposure = 0.002;
  setup.noise = sim::sensorNoiseAt(400);
  setup.hot_pixels = 12;
  setup.samples = 1;
  sim::FilmSettings film_settings = testing::smallFilm(8);
  film_settings.codec = sim::FilmCodec::Ffv1;
  const sim::SimCamera camera(setup, sim::millScene(), [](double) { return sim::Pose{}; });
  sim::writeFilm(folder / "dark.mkv", camera, film_settings);
  const Output o = run({"noise", "hot-pixels", "--json", "--into", p, folder / "dark.mkv"});
  ASSERT_EQ(o.exit_code, 0) << o.err;
  const json answer = o.parsed();
  EXPECT_TRUE(answer["dark"].get<bool>());
  int right = 0;
  for (const json& found : answer["pixels"])
    for (const auto& [x, y] : camera.hotPixels()) right += found[0] == x && found[1] == y ? 1 : 0;
  EXPECT_GE(right, 10) << o.out;
  EXPECT_EQ(json::parse(readFile(p))["noise"]["hot_pixels"].size(), answer["pixels"].size());
}

TEST_F(Console, ShutterIsSetAndAShakyClipComesOutSteady) {
  const std::string p = profile();
  EXPECT_EQ(run({"shutter", "set", "--readout-ms", "45%", "--direction", "down", "--into", p}).exit_code, 2)
      << "the profile says no frame rate";
  EXPECT_EQ(run({"shutter", "set", "--readout-ms", "fast", "--direction", "down", "--into", p}).exit_code, 2);
  const Output set =
      run({"shutter", "set", "--json", "--readout-ms", "15", "--direction", "down", "--into", p});
  ASSERT_EQ(set.exit_code, 0) << set.err;
  EXPECT_NEAR(json::parse(readFile(p))["shutter"]["readout_ms"].get<double>(), 15, 1e-6);

  sim::CameraSetup setup = testing::smallCamera();
  setup.readout_s = 0.015;
  sim::FilmSettings settings = testing::smallFilm(24);
  settings.codec = sim::FilmCodec::Ffv1;
  const std::string clip = folder / "windy.mkv";
  sim::writeFilm(clip, sim::SimCamera(setup, sim::millScene(), testing::windy(1.0)), settings);

  const Output path =
      run({"motion", "analyse", "--json", "--profile", p, "--out", folder / "path.csv", clip});
  ASSERT_EQ(path.exit_code, 0) << path.err;
  EXPECT_EQ(path.parsed()["frames"], 24);
  const std::string csv = readFile(folder / "path.csv");
  EXPECT_EQ(csv.substr(0, csv.find('\n')), "frame,time_s,rx,ry,rz,shift_x,shift_y,scale,confidence");
  EXPECT_EQ(std::count(csv.begin(), csv.end(), '\n'), 25);

  const Output o = run({"apply", "--json", "--profile", p, "--only", "lens,shutter,stabilization", "--codec",
                        "ffv1", "--set", "stabilization.crop_limit=0.3", "--out", folder / "out", clip});
  ASSERT_EQ(o.exit_code, 0) << o.out << o.err;
  const auto steadiness = [](const std::string& file) {
    return testing::steadinessOf(trackClip(probe(file), {}), 30);
  };
  const std::string made = o.parsed()["clips"][0]["output"];
  EXPECT_LT(steadiness(made).shake_px, 0.15 * steadiness(clip).shake_px);
  const Output local = run({"apply", "--json", "--profile", p, "--only", "lens,shutter", "--codec", "ffv1",
                            "--set", "shutter.local=on", "--out", folder / "local", clip});
  ASSERT_EQ(local.exit_code, 0) << local.out << local.err;
  EXPECT_EQ(local.parsed()["clips"][0]["frames"], 24);
  EXPECT_EQ(
      run({"apply", "--profile", p, "--set", "shutter.local=perhaps", "--out", folder / "o", clip}).exit_code,
      2);
  EXPECT_EQ(run({"apply", "--profile", p, "--only", "lens,shutters", "--out", folder / "o", clip}).exit_code,
            2);
  EXPECT_EQ(
      run({"apply", "--profile", p, "--set", "stabilization.smoothing_s=fast", "--out", folder / "o", clip})
          .exit_code,
      2);
}

TEST_F(Console, AKilledRunIsTakenUpWithoutLossOrDoubles) {
  const std::string p = profile();
  std::vector<std::string> arguments = {"apply", "--json", "--profile", p, "--out", folder / "out"};
  std::vector<std::string> sources;
  for (int i = 0; i < 5; ++i) sources.push_back(film("clip" + std::to_string(i) + ".mp4", 40));
  arguments.insert(arguments.end(), sources.begin(), sources.end());
  const pid_t pid = testing::startProcess(GLENHAZE_CLI, arguments, folder / "stdout", folder / "stderr");
  // Killed as soon as the second output appears.
  for (int i = 0; i < 600 && !fs::exists(folder / "out" / "clip1.mp4"); ++i)
    std::this_thread::sleep_for(std::chrono::milliseconds(50));
  ::kill(pid, SIGKILL);
  ::waitpid(pid, nullptr, 0);
  const Output o = run(arguments);
  EXPECT_EQ(o.exit_code, 0) << o.out;
  const json all = o.parsed();
  for (const json& clip : all["clips"]) EXPECT_EQ(clip["state"], "done");
  int files = 0;
  for (const auto& entry : fs::directory_iterator(folder / "out")) {
    const std::string name = entry.path().filename().string();
    if (name == kRecordName) continue;
    EXPECT_NE(name[0], '.') << "left behind: " << name;
    const ClipInfo info = probe(entry.path());
    EXPECT_EQ(info.frames, 40);
    EXPECT_FALSE(info.sound.empty());
    ++files;
  }
  EXPECT_EQ(files, 5);
}

TEST_F(Console, AFullDiskIsNamedAndLeavesNothing) {
  if (::geteuid() != 0) GTEST_SKIP() << "mounting a small disk needs root";
  const fs::path disk = folder / "disk";
  fs::create_directory(disk);
  if (std::system(("mount -t tmpfs -o size=256k tmpfs '" + disk.string() + "' 2>/dev/null").c_str()) != 0)
    GTEST_SKIP() << "no tmpfs can be mounted here";
  const std::string clip = film("big.mp4", 60);
  const Output o = run({"apply", "--json", "--profile", profile(), "--out", disk, "--codec", "ffv1", clip});
  bool clean = true;
  for (const auto& entry : fs::directory_iterator(disk))
    clean = clean && entry.path().filename() == kRecordName;
  std::system(("umount '" + disk.string() + "'").c_str());
  EXPECT_EQ(o.exit_code, 1);
  EXPECT_NE(o.parsed()["clips"][0]["why"].get<std::string>().find("disk is full"), std::string::npos)
      << o.out;
  EXPECT_TRUE(clean);
}

// Footage whose files name no camera: said once, it holds for clips that look alike, also in the next shoot.
TEST_F(Console, ACameraIsNamedOnceForClipsThatLookAlike) {
  auto nameless = testing::smallFilm(4);
  nameless.make = nameless.model = "";
  for (const char* name : {"monday/VISITOR_007.mp4", "tuesday/VISITOR_012.mp4", "tuesday/GUEST_001.mp4"}) {
    fs::create_directories((folder / name).parent_path());
    testing::makeFilm(folder / name, nameless);
  }
  const std::string first = folder / "monday.glenhaze-shoot.json",
                    second = folder / "tuesday.glenhaze-shoot.json";
  const auto cameras = [&](const std::string& shoot) {
    std::map<std::string, std::string> named;
    const json status = run({"shoot", "status", "--json", shoot}).parsed();
    for (const json& clip : status["clips"])
      named[fs::path(clip["source"].get<std::string>()).stem()] =
          clip["camera"]["name"].get<std::string>() + " by " + clip["camera"]["from"].get<std::string>();
    return named;
  };
  using Named = std::map<std::string, std::string>;
  ASSERT_EQ(run({"shoot", "new", "--out", first, folder / "monday"}).exit_code, 0);
  EXPECT_EQ(cameras(first), (Named{{"VISITOR_007", " by unknown"}}));
  ASSERT_EQ(run({"shoot", "new", "--camera", "Tern P2", "--overwrite", "--out", first, folder / "monday"})
                .exit_code,
            0);
  EXPECT_EQ(cameras(first), (Named{{"VISITOR_007", "Tern P2 by answer"}}));
  const Output made = run({"shoot", "new", "--out", second, folder / "tuesday"});
  ASSERT_EQ(made.exit_code, 0) << made.err;
  EXPECT_THAT(made.out, ::testing::HasSubstr("as in an earlier shoot"));
  EXPECT_EQ(cameras(second),
            (Named{{"VISITOR_012", "Tern P2 by earlier shoot"}, {"GUEST_001", " by unknown"}}));
}

TEST_F(Console, RunRendersAShoot) {
  film("a.mp4", 4);
  profile();
  json shoot = {{"format", "glenhaze-shoot"},
                {"version", 1},
                {"name", "x"},
                {"clips", {{{"path", "a.mp4"}}}},
                {"output", {{"folder", "done"}, {"codec", "ffv1"}}}};
  writeFileAtomically(folder / "x.glenhaze-shoot.json", shoot.dump());
  const Output o = run({"run", "--json", folder / "x.glenhaze-shoot.json"});
  EXPECT_EQ(o.exit_code, 0) << o.out << o.err;
  EXPECT_TRUE(fs::exists(folder / "done" / "a.mkv"));
}

TEST_F(Console, ProfilesGoToOpenCvAndBack) {
  const std::string p = profile();
  ASSERT_EQ(run({"profile", "export", "--as", "opencv", "--out", folder / "c.yml", p}).exit_code, 0);
  ASSERT_EQ(run({"profile", "import", "--camera", "Limpet A1", "--out", folder / "q.glenhaze.json",
                 folder / "c.yml"})
                .exit_code,
            0);
  const json a = run({"profile", "show", "--json", p}).parsed(),
             b = run({"profile", "show", "--json", folder / "q.glenhaze.json"}).parsed();
  EXPECT_EQ(a["profiles"][0]["profile"]["lens"]["coefficients"],
            b["profiles"][0]["profile"]["lens"]["coefficients"]);
}

}  // namespace
}  // namespace glenhaze
