#include "core/profile/profile.h"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/profile/edit.h"
#include "core/profile/library.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

Profile sample() {
  Profile profile;
  profile.camera.name = "Skerrel D3";
  profile.camera.width = 1920;
  profile.camera.height = 1080;
  profile.camera.fps = Rational{30000, 1001};
  profile.camera.view = "wide";
  LensPart part;
  part.lens = testing::testLens(LensModel::BrownConrady, 1920, 1080);
  part.rms_px = 0.31;
  part.method = "edges";
  part.coverage = 0.7;
  Evidence e;
  e.kind = "edge";
  e.name = "gutter";
  e.frame = 118;
  e.residual_px = 0.24;
  e.marks = {{10.25, 20.5}, {300, 22}};
  part.evidence = {e};
  profile.lens = part;
  return profile;
}

TEST(Profile, ShutterAndStabilizationGoThereAndBack) {
  Profile p;
  p.camera.name = "Limpet A1";
  p.camera.width = 320;
  p.camera.height = 180;
  ShutterFinding found;
  found.shutter = {0.0148, ScanDirection::Left};
  found.uncertainty_s = 0.0002;
  found.kind = ShutterPlot::Lean;
  found.plot = {{-100, -1.5}, {200, 3}};
  p.shutter = shutterPartFrom(found, "pan", "/somewhere/pan.mp4", 1 / 30.0);
  p.stabilization.emplace();
  p.stabilization->settings.steadying = Steadying::HoldStill;
  p.stabilization->settings.smoothing_s = 2.5;
  p.stabilization->settings.level = true;
  p.stabilization->settings.window = {{5, {0.1, -0.05}, 0.8}};
  p.stabilization->masks.push_back({{{0, 0}, {1, 0}, {0.5, 0.2}}, 3, 20});
  const Profile back = parseProfile(profileToJson(p), "p");
  ASSERT_TRUE(back.shutter && back.stabilization);
  EXPECT_EQ(back.shutter->shutter.direction, ScanDirection::Left);
  EXPECT_NEAR(back.shutter->shutter.readout_s, 0.0148, 1e-7);
  EXPECT_NEAR(back.shutter->uncertainty_s, 0.0002, 1e-7);
  EXPECT_EQ(back.shutter->plot, p.shutter->plot);
  EXPECT_EQ(back.shutter->evidence[0].source, "pan.mp4");
  EXPECT_EQ(back.stabilization->settings, p.stabilization->settings);
  EXPECT_EQ(back.stabilization->masks, p.stabilization->masks);
  // A direction that does not exist is named.
  std::string text = profileToJson(p);
  text.replace(text.find("\"left\""), 6, "\"aside\"");
  EXPECT_THROW(parseProfile(text, "p"), Error);
}

TEST(ProfileFile, RoundTrip) {
  const Profile before = sample();
  const Profile after = parseProfile(profileToJson(before), "test");
  EXPECT_EQ(after.camera, before.camera);
  EXPECT_EQ(after.lens->lens, before.lens->lens);
  EXPECT_EQ(after.lens->evidence, before.lens->evidence);
  EXPECT_EQ(after.lens->rms_px, 0.31);
}

// The parts that other tools read, as the format promises them.
TEST(ProfileFile, HasTheAgreedKeys) {
  const auto out = nlohmann::json::parse(profileToJson(sample()));
  EXPECT_EQ(out["format"], "glenhaze-profile");
  EXPECT_EQ(out["version"], 1);
  EXPECT_EQ(out["camera"]["mode"]["fps"], "30000/1001");
  EXPECT_EQ(out["lens"]["model"], "brown-conrady");
  EXPECT_EQ(out["lens"]["coefficients"].size(), 5U);
  EXPECT_EQ(out["lens"]["focal_px"].size(), 2U);
}

TEST(ProfileFile, UnknownKeysAndPartsSurvive) {
  auto json = nlohmann::json::parse(profileToJson(sample()));
  json["weather"] = {{"wind", {1, 2}}};
  json["lens"]["from_the_future"] = 7;
  json["camera"]["mode"]["iris"] = "f/2.8";
  Profile profile = parseProfile(json.dump(), "test");
  profile.lens->lens.fx = 1000;
  const auto out = nlohmann::json::parse(profileToJson(profile));
  EXPECT_EQ(out["weather"], json["weather"]);
  EXPECT_EQ(out["lens"]["from_the_future"], 7);
  EXPECT_EQ(out["camera"]["mode"]["iris"], "f/2.8");
  EXPECT_EQ(out["lens"]["focal_px"][0], 1000);
  EXPECT_TRUE(profile.hasPart("weather"));
  EXPECT_FALSE(profile.hasPart("shutter"));
}

TEST(ProfileFile, DamagedFilesAreRefusedWithTheReason) {
  const auto good = nlohmann::json::parse(profileToJson(sample()));
  const auto refused = [](const std::string& text, const std::string& word) {
    try {
      parseProfile(text, "file");
      ADD_FAILURE() << "accepted: " << text.substr(0, 60);
    } catch (const Error& error) {
      EXPECT_EQ(error.kind(), ErrorKind::Unreadable);
      EXPECT_NE(std::string(error.what()).find(word), std::string::npos) << error.what();
    }
  };
  refused("", "");
  refused("{", "");
  refused("[]", "format");
  refused("{\"format\":\"something\"}", "format");
  auto bad = good;
  bad["version"] = 99;
  refused(bad.dump(), "newer");
  bad = good;
  bad["lens"]["model"] = "mirror";
  refused(bad.dump(), "mirror");
  bad = good;
  bad["lens"]["focal_px"] = {-1, 5};
  refused(bad.dump(), "focal");
  bad = good;
  bad["camera"].erase("name");
  refused(bad.dump(), "name");
}

TEST(Library, NearerFoldersHideTheSameCameraFurtherAway) {
  const testing::ScratchFolder folder;
  std::filesystem::create_directories(folder / "near");
  std::filesystem::create_directories(folder / "far");
  Profile a = sample(), b = sample();
  b.lens->rms_px = 9;
  createProfile(a, folder / "near" / suggestedFileName(a.camera), ExistingProfile::Refuse);
  createProfile(b, folder / "far" / suggestedFileName(b.camera), ExistingProfile::Refuse);
  writeFileAtomically(folder / "far" / "broken.glenhaze.json", "{");
  const ProfileSet set = loadProfiles({folder / "near", folder / "far", folder / "nowhere"});
  ASSERT_EQ(set.profiles.size(), 1U);
  EXPECT_EQ(set.profiles[0].lens->rms_px, 0.31);
  EXPECT_EQ(set.problems.size(), 1U);
}

TEST(Library, FileNamesAreSafe) {
  CameraMode mode;
  mode.name = "Odd/Näme: “x”";
  mode.width = 10;
  mode.height = 20;
  const std::string name = suggestedFileName(mode);
  EXPECT_EQ(name.find('/'), std::string::npos);
  EXPECT_EQ(name.find(' '), std::string::npos);
  EXPECT_TRUE(name.ends_with(".glenhaze.json"));
}

// The same calibration in the three forms that OpenCV's FileStorage writes (samples made with OpenCV 4.6).
TEST(OpenCvFile, IsReadInEachOfItsForms) {
  const testing::ScratchFolder folder;
  const std::string yaml =
      "%YAML:1.0\n---\ncalibration_time: \"today\"\nimage_width: 640\nimage_height: 480\n"
      "camera_matrix: !!opencv-matrix\n   rows: 3\n   cols: 3\n   dt: d\n   data: [ 5.3591573396e+02, 0.,\n"
      "       3.4228315473e+02, 0., 5.3591573396e+02, 2.3557082909e+02, 0., 0., 1. ]\n"
      "distortion_coefficients: !!opencv-matrix\n   rows: 5\n   cols: 1\n   dt: d\n   data: [ "
      "-2.6637260909e-01,\n"
      "       -3.8588898922e-02, 1.7831947042e-03, -2.8122100441e-04,\n       2.3839153080e-01 ]\n"
      "avg_reprojection_error: 3.9259e-01\n";
  const std::string json =
      "{\n \"image_width\": 640,\n \"image_height\": 480,\n \"camera_matrix\": {\n \"type_id\": "
      "\"opencv-matrix\",\n \"rows\": 3,\n \"cols\": 3,\n \"dt\": \"d\",\n \"data\": [ 535.91573396, 0.0, "
      "342.28315473, 0.0, 535.91573396, 235.57082909, 0.0, 0.0, 1.0 ]\n },\n \"distortion_coefficients\": "
      "{\n "
      "\"type_id\": \"opencv-matrix\",\n \"rows\": 5,\n \"cols\": 1,\n \"dt\": \"d\",\n \"data\": [ "
      "-0.26637260909, -0.038588898922, 0.0017831947042, -0.00028122100441, 0.2383915308 ]\n },\n "
      "\"avg_reprojection_error\": 0.39259\n}\n";
  const std::string xml =
      "<?xml "
      "version=\"1.0\"?>\n<opencv_storage>\n<image_width>640</image_width>\n<image_height>480</"
      "image_height>\n"
      "<camera_matrix type_id=\"opencv-matrix\">\n  <rows>3</rows>\n  <cols>3</cols>\n  <dt>d</dt>\n  "
      "<data>\n    "
      "5.3591573396e+02 0. 3.4228315473e+02 0. 5.3591573396e+02\n    2.3557082909e+02 0. 0. "
      "1.</data></camera_matrix>\n"
      "<distortion_coefficients type_id=\"opencv-matrix\">\n  <rows>5</rows>\n  <cols>1</cols>\n  "
      "<dt>d</dt>\n  "
      "<data>\n    -2.6637260909e-01 -3.8588898922e-02 1.7831947042e-03\n    -2.8122100441e-04 "
      "2.3839153080e-01</data></distortion_coefficients>\n<avg_reprojection_error>3.9259e-01</"
      "avg_reprojection_error>\n"
      "</opencv_storage>\n";
  for (const auto& [name, text] :
       {std::pair{"c.yml", yaml}, std::pair{"c.json", json}, std::pair{"c.xml", xml}}) {
    writeFileAtomically(folder / name, text);
    const Profile p = fromOpenCvFile(folder / name, {});
    ASSERT_TRUE(p.lens) << name;
    EXPECT_EQ(p.camera.width, 640) << name;
    EXPECT_EQ(p.camera.height, 480) << name;
    EXPECT_NEAR(p.lens->lens.fx, 535.91573396, 1e-8) << name;
    EXPECT_NEAR(p.lens->lens.cy, 235.57082909, 1e-8) << name;
    EXPECT_NEAR(p.lens->lens.k[0], -0.26637260909, 1e-10) << name;
    EXPECT_NEAR(p.lens->lens.k[4], 0.2383915308, 1e-10) << name;
    EXPECT_NEAR(p.lens->rms_px, 0.39259, 1e-9) << name;
    // Cut off anywhere it is refused or the same; it never goes round for ever, as OpenCV's own reader may.
    for (size_t length = 0; length < text.size(); length += 7) {
      writeFileAtomically(folder / name, text.substr(0, length));
      try {
        EXPECT_EQ(fromOpenCvFile(folder / name, p.camera).lens->lens, p.lens->lens);
      } catch (const Error& error) {
        EXPECT_EQ(error.kind(), ErrorKind::Unreadable);
      }
    }
  }
}

TEST(OpenCvFile, RoundTrip) {
  const testing::ScratchFolder folder;
  for (const LensModel model : {LensModel::BrownConrady, LensModel::KannalaBrandt}) {
    Profile profile = sample();
    profile.lens->lens = testing::testLens(model, 1920, 1080);
    writeFileAtomically(folder / "c.yml", toOpenCvYaml(profile));
    const Profile back = fromOpenCvFile(folder / "c.yml", profile.camera);
    EXPECT_EQ(back.lens->lens, profile.lens->lens);
    EXPECT_EQ(back.lens->origin, Origin::Imported);
  }
  Profile division = sample();
  division.lens->lens.model = LensModel::Division;
  EXPECT_THROW(toOpenCvYaml(division), Error);
  writeFileAtomically(folder / "bad.yml", "%YAML:1.0\n---\nnothing: 1\n");
  EXPECT_THROW(fromOpenCvFile(folder / "bad.yml", {}), Error);
}

TEST(Check, SaysWhatIsMissingOrFolds) {
  Profile profile = sample();
  EXPECT_TRUE(checkProfile(profile).empty());
  profile.lens->lens.k[0] = -0.8;
  EXPECT_FALSE(checkProfile(profile).empty());
  profile.lens.reset();
  EXPECT_FALSE(checkProfile(profile).empty());
}

}  // namespace
}  // namespace glenhaze
