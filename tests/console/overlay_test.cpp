// Plates and overlays from the console: what is drawn on the corrected picture lands on the untouched one.
#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <opencv2/imgproc.hpp>

#include "core/base/files.h"
#include "core/media/reader.h"
#include "core/media/rgba.h"
#include "core/media/sequence.h"
#include "core/pipeline/overlay.h"
#include "tests/support/footage.h"
#include "tests/support/motion.h"
#include "tests/support/process.h"

namespace glenhaze {
namespace {
using nlohmann::json;

class OverlayConsole : public ::testing::Test {
 protected:
  void SetUp() override {
    setenv("XDG_DATA_HOME", (folder / "data").c_str(), 1);
    const Lens lens = testing::testLens(LensModel::BrownConrady);
    std::string k;
    for (const double v : lens.k) k += (k.empty() ? "" : ",") + std::to_string(v);
    const auto set = run({"lens",           "set",
                          "--model",        "brown-conrady",
                          "--focal",        std::to_string(lens.fx) + "," + std::to_string(lens.fy),
                          "--centre",       std::to_string(lens.cx) + "," + std::to_string(lens.cy),
                          "--coefficients", k,
                          "--width",        "320",
                          "--height",       "180",
                          "--fps",          "30",
                          "--camera",       "Limpet A1",
                          "--out",          profile});
    ASSERT_EQ(set.exit_code, 0) << set.err;
    ASSERT_EQ(
        run({"shutter", "set", "--readout-ms", "15", "--direction", "down", "--into", profile}).exit_code, 0);
    sim::CameraSetup setup = testing::smallCamera();
    setup.readout_s = 0.015;
    sim::FilmSettings settings = testing::smallFilm(10);
    settings.codec = sim::FilmCodec::Ffv1;
    clip = folder / "windy.mkv";
    sim::writeFilm(clip, sim::SimCamera(setup, sim::millScene(), testing::windy(1.0)), settings);
  }
  testing::ProcessOutput run(const std::vector<std::string>& arguments) {
    return testing::runProcess(GLENHAZE_CLI, arguments, folder.path());
  }
  // Of the middle of frame `index`, codes: the picture against the clip as filmed.
  double apart(const std::string& picture, int64_t index) {
    const auto back = RgbaReader(picture, AlphaKind::Straight).next();
    const Frame frame = readFrame(probe(clip), index);
    EXPECT_TRUE(back && back->width == frame.width && back->height == frame.height);
    const RgbaPicture filmed = plateOf(frame, {frame.width, frame.height}, {frame.width, frame.height},
                                       [](Point p) { return std::optional(p); });
    double squares = 0;
    int count = 0;
    for (int y = 30; y < frame.height - 30; ++y)
      for (int x = 40; x < frame.width - 40; ++x, ++count)
        squares += std::pow(255.0 * (back->row(y)[4 * x + 1] - filmed.row(y)[4 * x + 1]), 2);
    return std::sqrt(squares / count);
  }
  testing::ScratchFolder folder;
  std::string profile = folder / "p.glenhaze.json", clip;
};

TEST_F(OverlayConsole, APlateOfASteadiedClipIsLaidBackOntoItsShake) {
  const std::string with = "lens,shutter,stabilization", plates = folder / "plate_%04d.png",
                    backs = folder / "back_%04d.png";
  const auto plate = run({"lens", "plate", "--json", "--profile", profile, "--with", with, "--room", "20",
                          "--out", plates, clip});
  ASSERT_EQ(plate.exit_code, 0) << plate.err;
  EXPECT_EQ(json::parse(plate.out)["pictures"], 10);
  EXPECT_EQ(json::parse(plate.out)["width"], 320 + 2 * 64);
  const auto redo = run({"lens", "redo", "--json", "--profile", profile, "--clip", clip, "--with", with,
                         "--out", backs, plates});
  ASSERT_EQ(redo.exit_code, 0) << redo.err;
  EXPECT_EQ(json::parse(redo.out)["overlays"][0]["pictures"], 10);
  for (const int i : {0, 4, 9}) EXPECT_LT(apart(sequenceFile(backs, i + 1), i), 4.0) << i;
  // Laid back by the motion of another frame it would lie elsewhere.
  EXPECT_GT(apart(sequenceFile(backs, 1), 4), 8.0);

  // One drawing for all frames becomes a film; a name for one picture is refused.
  const std::string still = sequenceFile(plates, 1).string();
  EXPECT_EQ(run({"lens", "redo", "--profile", profile, "--clip", clip, "--with", with, "--out",
                 folder / "one.png", still})
                .exit_code,
            2);
  const auto film = run({"lens", "redo", "--json", "--profile", profile, "--clip", clip, "--with", with,
                         "--out", folder / "film.mov", still});
  ASSERT_EQ(film.exit_code, 0) << film.err;
  EXPECT_EQ(probe(folder / "film.mov").frames, 10);
  EXPECT_TRUE(probe(folder / "film.mov").transparent);
}

// Applied by another library, the map of a frame gives the plate of that frame.
TEST_F(OverlayConsole, AMapForEachFrameOfAClipThatMoves) {
  const std::string with = "lens,shutter,stabilization", maps = folder / "map_%04d.exr",
                    plates = folder / "p_%04d.png";
  EXPECT_EQ(run({"lens", "stmap", "--profile", profile, "--direction", "undistort", "--with", with, "--out",
                 folder / "one.exr", clip})
                .exit_code,
            2);
  const auto made = run({"lens", "stmap", "--json", "--profile", profile, "--direction", "undistort",
                         "--with", with, "--room", "10", "--out", maps, clip});
  ASSERT_EQ(made.exit_code, 0) << made.err;
  EXPECT_EQ(json::parse(made.out)["maps"], 10);
  ASSERT_EQ(
      run({"lens", "plate", "--profile", profile, "--with", with, "--room", "10", "--out", plates, clip})
          .exit_code,
      0);
  for (const int i : {1, 7}) {
    const auto map = RgbaReader(sequenceFile(maps, i + 1), AlphaKind::Premultiplied).next();
    const auto plate = RgbaReader(sequenceFile(plates, i + 1), AlphaKind::Straight).next();
    ASSERT_TRUE(map && plate && map->width == plate->width && map->width == 320 + 64);
    const Frame frame = readFrame(probe(clip), i);
    const RgbaPicture filmed =
        plateOf(frame, {320, 180}, {320, 180}, [](Point p) { return std::optional(p); });
    cv::Mat green(180, 320, CV_32F), where(map->height, map->width, CV_32FC2), ours;
    for (int y = 0; y < 180; ++y)
      for (int x = 0; x < 320; ++x) green.at<float>(y, x) = 255 * filmed.row(y)[4 * x + 1];
    for (int y = 0; y < map->height; ++y)
      for (int x = 0; x < map->width; ++x)
        where.at<cv::Vec2f>(y, x) = {map->row(y)[4 * x] * 320 - 0.5F,
                                     (1 - map->row(y)[4 * x + 1]) * 180 - 0.5F};
    cv::remap(green, ours, where, cv::noArray(), cv::INTER_LANCZOS4);
    double squares = 0;
    for (int y = 40; y < map->height - 40; ++y)
      for (int x = 60; x < map->width - 60; ++x)
        squares += std::pow(ours.at<float>(y, x) - 255 * plate->row(y)[4 * x + 1], 2);
    EXPECT_LT(std::sqrt(squares / ((map->height - 80.0) * (map->width - 120.0))), 2.5) << i;
  }
}

// Whatever is allowed: neither footage nor the drawing itself is ever written over, by whatever name.
TEST_F(OverlayConsole, WhatWasFilmedOrDrawnIsNeverReplaced) {
  const std::string drawing = folder / "drawing.png", link = folder / "link.mov";
  ASSERT_EQ(run({"lens", "plate", "--profile", profile, "--frame", "0", "--out", drawing, clip}).exit_code,
            0);
  std::filesystem::create_symlink(clip, link);
  const std::string filmed = readFile(clip), drawn = readFile(drawing);
  EXPECT_NE(run({"lens", "redo", "--profile", profile, "--overwrite", "--out", drawing, drawing}).exit_code,
            0);
  EXPECT_NE(run({"lens", "redo", "--profile", profile, "--overwrite", "--clip", clip, "--out", link, drawing})
                .exit_code,
            0);
  EXPECT_NE(run({"lens", "plate", "--profile", profile, "--overwrite", "--out", link, clip}).exit_code, 0);
  std::filesystem::copy_file(clip, folder / "clip.exr");
  const std::string odd = folder / "clip.exr";
  EXPECT_NE(run({"lens", "stmap", "--profile", profile, "--direction", "distort", "--with", "lens",
                 "--overwrite", "--out", odd, odd})
                .exit_code,
            0);
  EXPECT_EQ(readFile(odd), filmed);
  EXPECT_EQ(readFile(clip), filmed);
  EXPECT_EQ(readFile(drawing), drawn);
  EXPECT_TRUE(std::filesystem::is_symlink(link));
  EXPECT_NE(
      run({"apply", "--profile", profile, "--only", "lens", "--report", clip, "--out", folder / "o", clip})
          .exit_code,
      0);
  EXPECT_EQ(readFile(clip), filmed);
}

TEST_F(OverlayConsole, ByTheLensAloneOneStillIsEnough) {
  const std::string plate = folder / "plate.exr", back = folder / "back.png";
  const auto made =
      run({"lens", "plate", "--profile", profile, "--room", "25", "--frame", "3", "--out", plate, clip});
  ASSERT_EQ(made.exit_code, 0) << made.err;
  const auto redone = run({"lens", "redo", "--profile", profile, "--out", back, plate});
  ASSERT_EQ(redone.exit_code, 0) << redone.err;
  EXPECT_LT(apart(back, 3), 4.0);
  EXPECT_EQ(run({"lens", "redo", "--profile", profile, "--out", back, plate}).exit_code, 1)
      << "it exists already";
  EXPECT_EQ(run({"lens", "redo", "--profile", profile, "--overwrite", "--out", back, plate}).exit_code, 0);
  EXPECT_EQ(run({"lens", "plate", "--profile", profile, "--frame", "99", "--out", folder / "x.png", clip})
                .exit_code,
            2);
  EXPECT_EQ(run({"lens", "redo", "--profile", profile, "--with", "lens", "--out", folder / "x.png", plate})
                .exit_code,
            2);
}

}  // namespace
}  // namespace glenhaze
