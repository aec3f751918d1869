// The finish from the console: measured, set and applied.
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "core/media/reader.h"
#include "core/profile/profile.h"
#include "tests/support/edges.h"
#include "tests/support/process.h"

namespace glenhaze {
namespace {
using nlohmann::json;

class FinishConsole : public ::testing::Test {
 protected:
  void SetUp() override { setenv("XDG_DATA_HOME", (folder / "data").c_str(), 1); }
  testing::ScratchFolder folder;
  testing::ProcessOutput run(const std::vector<std::string>& arguments) {
    return testing::runProcess(GLENHAZE_CLI, arguments, folder.path());
  }
  std::string profile() {
    const std::string path = folder / "p.glenhaze.json";
    const auto o = run({"lens", "set", "--model", "brown-conrady", "--focal", "300,300", "--centre", "160,89",
                        "--coefficients", "0,0,0,0,0", "--width", "320", "--height", "180", "--camera",
                        "Limpet A1", "--out", path});
    EXPECT_EQ(o.exit_code, 0) << o.err;
    return path;
  }
  static double meanLuma(const std::filesystem::path& film) {
    ClipReader reader(probe(film));
    const auto frame = reader.next();
    double sum = 0;
    for (int y = 0; y < frame->height; ++y)
      for (int x = 0; x < frame->width; ++x) sum += frame->planes[0].at(x, y, frame->format.bytesPerSample());
    return sum / (frame->width * frame->height);
  }
};

TEST_F(FinishConsole, EdgesAreMeasuredAndSharpeningIsSeen) {
  const std::string soft = testing::edgeFilm(folder / "soft.mp4"),
                    sharp = testing::edgeFilm(folder / "sharp.mp4", "unsharp=7:7:1.5");
  const auto plain = run({"finish", "edges", "--json", soft});
  ASSERT_EQ(plain.exit_code, 0) << plain.err;
  const json a = json::parse(plain.out);
  EXPECT_NEAR(a["mtf50"].get<double>(), testing::kEdgeMtf50, 0.01);
  EXPECT_LT(a["overshoot"].get<double>(), 0.02);
  ASSERT_FALSE(a["places"].empty());
  EXPECT_EQ(a["places"][0]["direction"], "across");
  const std::string into = profile();
  const auto over = run({"finish", "edges", "--json", "--into", into, sharp});
  ASSERT_EQ(over.exit_code, 0) << over.err;
  const json b = json::parse(over.out);
  EXPECT_GT(b["overshoot"].get<double>(), 0.08);
  EXPECT_GT(b["sharpening"]["amount"].get<double>(), 0.3);
  const Profile kept = loadProfile(into);
  ASSERT_TRUE(kept.finish && kept.finish->edges);
  EXPECT_NEAR(kept.finish->edges->summary.overshoot, b["overshoot"].get<double>(), 1e-6);
  EXPECT_TRUE(kept.lens);
  EXPECT_EQ(run({"finish", "edges", testing::makeFilm(folder / "mill.mp4", testing::smallFilm(2)).string(),
                 "--place", "0,0,4,4"})
                .exit_code,
            3);
}

TEST_F(FinishConsole, WhatIsSetIsApplied) {
  const std::string film = testing::edgeFilm(folder / "soft.mp4"), p = profile();
  const auto set = run({"profile", "set", "--into", p, "finish.exposure=0.5", "finish.crisp=0"});
  ASSERT_EQ(set.exit_code, 0) << set.err;
  EXPECT_NEAR(loadProfile(p).finish->settings.exposure, 0.5, 1e-9);
  const auto o = run({"apply", "--json", "--profile", p, "--match", "any", "--only", "finish", "--codec",
                      "ffv1", "--out", folder / "out", film});
  ASSERT_EQ(o.exit_code, 0) << o.out << o.err;
  const json clip = json::parse(o.out)["clips"][0];
  EXPECT_EQ(clip["figures"]["done"], json({"finish (colour)"}));
  EXPECT_GT(meanLuma(clip["output"].get<std::string>()), meanLuma(film) + 8);
  // Said for this call alone it wins over the profile; nothing to do is no "done".
  const auto none = run({"apply", "--json", "--profile", p, "--match", "any", "--only", "finish", "--set",
                         "finish.exposure=0", "--out", folder / "none", film});
  EXPECT_EQ(none.exit_code, 1);
  EXPECT_EQ(json::parse(none.out)["clips"][0]["state"], "skipped");
  for (const char* wrong : {"finish.crispy=1", "finish.exposure=9", "finish.exposure=nan", "finish."})
    EXPECT_EQ(run({"apply", "--profile", p, "--match", "any", "--set", wrong, "--out", folder / "no", film})
                  .exit_code,
              2)
        << wrong;
  const auto lost = run({"apply", "--profile", p, "--match", "any", "--only", "finish", "--set",
                         "finish.lut=nowhere.cube", "--out", folder / "no", film});
  EXPECT_EQ(lost.exit_code, 1);
  EXPECT_NE((lost.out + lost.err).find("nowhere.cube"), std::string::npos) << lost.out << lost.err;
}

TEST_F(FinishConsole, ALensIsHandedOver) {
  const std::string p = profile();
  const auto map = run({"lens", "stmap", "--json", "--profile", p, "--direction", "undistort", "--room", "10",
                        "--out", folder / "m.exr"});
  ASSERT_EQ(map.exit_code, 0) << map.err;
  EXPECT_EQ(json::parse(map.out)["straight"], json({384, 216}));
  EXPECT_EQ(
      run({"lens", "stmap", "--profile", p, "--direction", "undistort", "--out", folder / "m.exr"}).exit_code,
      1);
  const auto water = run(
      {"lens", "water", "--json", "--profile", p, "--medium", "sea", "--out", folder / "w.glenhaze.json"});
  ASSERT_EQ(water.exit_code, 0) << water.err;
  EXPECT_NEAR(json::parse(water.out)["enlargement"].get<double>(), 1.339, 0.002);
  EXPECT_EQ(loadProfile(folder / "w.glenhaze.json").camera.medium, "flat-port-sea");
  // Of a camera that is under water already there is nothing to convert.
  EXPECT_EQ(run({"lens", "water", "--profile", folder / "w.glenhaze.json", "--medium", "sea", "--out",
                 folder / "x.glenhaze.json"})
                .exit_code,
            2);
}

}  // namespace
}  // namespace glenhaze
