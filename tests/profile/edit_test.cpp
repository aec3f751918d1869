#include "core/profile/edit.h"

#include <gtest/gtest.h>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;
using nlohmann::json;

Profile sampleProfile() {
  Profile p;
  p.camera.name = "Limpet A1";
  p.camera.width = 320;
  p.camera.height = 180;
  p.camera.fps = Rational{30, 1};
  p.lens = LensPart{};
  p.lens->lens = testing::testLens(LensModel::BrownConrady);
  p.lens->method = "chart";
  p.lens->evidence.emplace_back().source = "a.mp4";
  NoiseEntry curve;
  curve.curve.iso = 400;
  curve.curve.level = {16, 235};
  curve.curve.sigma[0] = {1, 2};
  curve.evidence.emplace_back().source = "b.mp4";
  p.noise.emplace().put(curve);
  return p;
}

json jsonOf(const fs::path& file) { return parseJson(readFile(file)); }

// Every object in the file gets a key that this version does not know.
void plant(json& value, int& count) {
  if (value.is_array())
    for (json& one : value) plant(one, count);
  if (!value.is_object()) return;
  for (auto& [key, one] : value.items()) plant(one, count);
  value["from_tomorrow"] = ++count;
}

int planted(const json& value) {
  int count = 0;
  if (value.is_structured())
    for (const auto& one : value) count += planted(one);
  if (value.is_object() && value.contains("from_tomorrow")) ++count;
  return count;
}

TEST(ProfileEdit, KeysFromTomorrowSurviveAtEveryDepth) {
  const testing::ScratchFolder folder;
  const fs::path file = folder / "p.glenhaze.json";
  createProfile(sampleProfile(), file, ExistingProfile::Refuse);
  json all = jsonOf(file);
  int count = 0;
  plant(all, count);
  all["finish"] = {{"from_tomorrow", ++count}, {"crisp", 0.4}};
  writeFileAtomically(file, all.dump(2));
  ASSERT_GT(count, 8);
  changeProfile(file, [](Profile& p) { p.shutter = shutterPartByHand({0.0148, ScanDirection::Down}); });
  EXPECT_EQ(planted(jsonOf(file)), count) << readFile(file);
  EXPECT_TRUE(loadProfile(file).shutter);
}

TEST(ProfileEdit, UndoRestoresEveryByte) {
  const testing::ScratchFolder folder;
  const fs::path file = folder / "p.glenhaze.json";
  createProfile(sampleProfile(), file, ExistingProfile::Refuse);
  // As a person might have laid it out.
  const std::string theirs = jsonOf(file).dump(7) + "\n\n\n";
  writeFileAtomically(file, theirs);
  const auto change = changeProfile(file, [](Profile& p) { p.lens.reset(); });
  EXPECT_FALSE(loadProfile(file).lens);
  restoreProfile(change.before);
  EXPECT_EQ(readFile(file), theirs);
  const auto made = createProfile(sampleProfile(), folder / "new.glenhaze.json", ExistingProfile::Refuse);
  restoreProfile(made.before);
  EXPECT_FALSE(fs::exists(folder / "new.glenhaze.json"));
}

TEST(ProfileEdit, WhatCannotBeReadOrIsNewerIsLeftAlone) {
  const testing::ScratchFolder folder;
  json newer = parseJson(profileToJson(sampleProfile()));
  newer["version"] = 99;
  for (const std::string& text :
       {std::string("not json"), newer.dump(), std::string("{\"format\":\"other\"}")}) {
    const fs::path file = folder / "x.glenhaze.json";
    writeFileAtomically(file, text);
    EXPECT_THROW(changeProfile(file, [](Profile&) {}), Error);
    EXPECT_THROW(createProfile(sampleProfile(), file, ExistingProfile::Refuse), Error);
    EXPECT_THROW(createProfile(sampleProfile(), file, ExistingProfile::Replace), Error);
    EXPECT_EQ(readFile(file), text);
  }
}

TEST(ProfileEdit, PutAddsToWhatIsInTheFileByNow) {
  const testing::ScratchFolder folder;
  const Profile opened =
      createProfile(sampleProfile(), folder / "p.glenhaze.json", ExistingProfile::Refuse).profile;
  // The console adds a shutter meanwhile; the window puts a lens that it measured on what it had read before.
  changeProfile(opened.path, [](Profile& p) {
    p.shutter = shutterPartByHand({0.0148, ScanDirection::Down});
  });
  Profile edited = opened;
  edited.lens->rms_px = 0.123;
  putProfile(opened, edited, folder.path());
  const Profile now = loadProfile(opened.path);
  EXPECT_TRUE(now.shutter);
  EXPECT_EQ(now.lens->rms_px, 0.123);
  EXPECT_TRUE(now.noise);
}

TEST(ProfileEdit, ModesThatDifferGetFilesOfTheirOwn) {
  const testing::ScratchFolder folder;
  std::vector<CameraMode> modes;
  for (const char* name : {"D3+", "D3-", "D3", "D 3", "D3.", "Großer Pär"}) {
    CameraMode mode = sampleProfile().camera;
    mode.name = name;
    modes.push_back(mode);
  }
  for (const Rational fps :
       {Rational{30000, 1001}, Rational{24, 1}, Rational{24000, 1001}, Rational{60, 1}}) {
    CameraMode mode = sampleProfile().camera;
    mode.fps = fps;
    modes.push_back(mode);
  }
  for (auto set : std::vector<std::function<void(CameraMode&)>>{
           [](CameraMode& m) { m.view = "wide"; }, [](CameraMode& m) { m.lens = "wide"; },
           [](CameraMode& m) { m.in_camera.sharpening = "low"; },
           [](CameraMode& m) { m.in_camera.denoising = "low"; },
           [](CameraMode& m) { m.in_camera.tone = "flat"; },
           [](CameraMode& m) { m.medium = "flat-port-sea"; }, [](CameraMode& m) { m.fps.reset(); },
           [](CameraMode& m) { m.view = std::string(400, 'v'); },
           [](CameraMode& m) { m.view = std::string(401, 'v'); }}) {
    CameraMode mode = sampleProfile().camera;
    set(mode);
    modes.push_back(mode);
  }
  std::set<std::string> names;
  for (const CameraMode& mode : modes) {
    Profile p;
    p.camera = mode;
    const auto put = putProfile({}, p, folder.path());
    EXPECT_LE(put.profile.path.filename().native().size(), 255U);
    names.insert(put.profile.path.filename().string());
    EXPECT_EQ(suggestedFileName(mode).size(), put.profile.path.filename().native().size());
  }
  EXPECT_EQ(names.size(), modes.size());
  // Said again, with other capitals and blanks: the same file.
  Profile same;
  same.camera = modes[0];
  EXPECT_EQ(putProfile({}, same, folder.path()).profile.path.filename(), suggestedFileName(modes[0]));
}

TEST(ProfileEdit, ATakenNameOfSomebodyElsesIsLeftAlone) {
  const testing::ScratchFolder folder;
  const fs::path taken = folder / suggestedFileName(sampleProfile().camera);
  writeFileAtomically(taken, "theirs");
  const auto put = putProfile({}, sampleProfile(), folder.path());
  EXPECT_NE(put.profile.path, taken);
  EXPECT_EQ(readFile(taken), "theirs");
}

}  // namespace
}  // namespace glenhaze
