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
