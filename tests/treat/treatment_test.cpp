#include "core/treat/treatment.h"

#include <gtest/gtest.h>

#include "core/base/json_text.h"
#include "tests/support/footage.h"
#include "tests/support/noise.h"

namespace glenhaze {
namespace {

using nlohmann::json;

// Every field off its default.
Treatment full() {
  Treatment t;
  Cleaning& c = t.cleaning.emplace();
  c.noise = testing::evenCurve(2, 3, 800);
  c.noise->light = "lamp-lit";
  c.noise->spread[1] = {0.1};
  c.noise->octaves[2][3] = 0.25;
  c.changes.push_back({30, testing::evenCurve(4, 5, 1600)});
  for (const DenoiseKey& key : denoiseKeys())
    key.set(c.settings, key.whole ? key.low : 0.5 * (key.low + key.high));
  c.hot_pixels = {{10, 20, 40.5}};
  t.lens = testing::testLens(LensModel::BrownConrady);
  t.lens_amount = 0.75;
  t.fill = 0.5;
  t.output = {1280, 720};
  t.canvas = {{1280, 960}, -4, 120};
  MotionTreatment& m = t.motion.emplace();
  m.shutter = {0.0148, ScanDirection::Up};
  m.own_motion = true;
  m.settings.smoothing_s = 1.5;
  m.settings.level = true;
  m.settings.framing = Framing::FilledSlow;
  m.settings.part = SteadiedPart::Near;
  m.settings.window = {{4, {0.1, -0.05}, 0.8}};
  m.masks = {{{{0, 0}, {1, 0}, {1, 0.25}}, 7, 12}};
  m.hand = {{3, {0.1, 0.2}, 4, 1.5, {0.4, 0.3}}};
  m.log = "/s/log.csv";
  m.log_id = {12, 34, "abc"};
  c.noise->primaries[0] = {0.2, 0.7, 0.1};
  Finishing& f = t.finishing.emplace();
  for (const FinishKey& key : finishKeys()) key.set(f.settings, 0.3 * key.low + 0.7 * key.high);
  f.settings.lut = "/s/look.cube";
  f.settings.log_curve = "ACEScct";
  f.camera = {0.8, 1.2};
  f.lut_id = {5, 6, "def"};
  t.fields = Fields::Deinterlace;
  t.range = {3, 90};
  t.codec = Codec::H265;
  t.quality = Quality::High;
  t.bit_rate = 5'000'000;
  t.sound = Sound::Pcm;
  t.graphics = true;
  return t;
}

TEST(Treatment, ItsOneJsonFormHoldsEveryField) {
  for (const Treatment& t : {full(), Treatment{}}) EXPECT_EQ(treatmentFromJson(treatmentToJson(t)), t);
}

const FileId kClip{1000, 5, "00ff"};

// Another value of the same kind that is in range everywhere.
json other(const json& leaf, const std::string& path) {
  if (leaf.is_boolean()) return !leaf.get<bool>();
  if (leaf.is_number_integer()) return leaf.get<int64_t>() == 0 ? 1 : 0;
  if (leaf.is_number())
    return leaf.get<double>() > 0.3 ? leaf.get<double>() * 0.9 : leaf.get<double>() + 0.01;
  const auto text = leaf.get<std::string>();
  for (const auto& [ending, value] :
       std::vector<std::pair<std::string, std::string>>{{"model", "division"},
                                                        {"direction", "down"},
                                                        {"fields", "keep"},
                                                        {"damage", "hold"},
                                                        {"codec", "ffv1"},
                                                        {"quality", "small"},
                                                        {"sound", "none"},
                                                        {"steadying", "off"},
                                                        {"framing", "uncropped"},
                                                        {"part", "far"},
                                                        {"log_id", "1 2 3"}})
    if (path.ends_with(ending)) return value;
  return text + "x";
}

void forEachLeaf(const json& value, const json::json_pointer& at,
                 const std::function<void(const json::json_pointer&)>& see) {
  if (!value.is_structured()) return see(at);
  if (value.is_array())
    for (size_t i = 0; i < value.size(); ++i) forEachLeaf(value[i], at / i, see);
  else
    for (const auto& [key, one] : value.items()) forEachLeaf(one, at / key, see);
}

// A leaf that is read back but does not change the fingerprint would be a setting that a run overlooks; one
// that changes the fingerprint but is not read back would be one that the picture does not know.
TEST(Treatment, EveryLeafChangesTheTreatmentAndItsFingerprint) {
  const Treatment t = full();
  const json all = parseJson(treatmentToJson(t));
  const std::string before = fingerprintOf(t, kClip);
  EXPECT_EQ(before.size(), 64U);
  int leaves = 0;
  forEachLeaf(all, json::json_pointer(""), [&](const json::json_pointer& at) {
    json changed = all;
    changed[at] = other(all[at], at.to_string());
    Treatment read;
    ASSERT_NO_THROW(read = treatmentFromJson(jsonText(changed))) << at.to_string();
    EXPECT_NE(read, t) << at.to_string() << ": " << changed[at];
    EXPECT_NE(fingerprintOf(read, kClip), before) << at.to_string();
    ++leaves;
  });
  EXPECT_GT(leaves, 80);
  // And the parts as wholes.
  for (auto take : std::vector<std::function<void(Treatment&)>>{
           [](Treatment& x) { x.cleaning.reset(); }, [](Treatment& x) { x.cleaning->noise.reset(); },
           [](Treatment& x) { x.lens.reset(); }, [](Treatment& x) { x.motion.reset(); },
           [](Treatment& x) { x.bit_rate.reset(); }}) {
    Treatment less = t;
    take(less);
    EXPECT_NE(fingerprintOf(less, kClip), before);
  }
}

TEST(Treatment, AnotherClipHasAnotherFingerprint) {
  const Treatment t = full();
  const std::string before = fingerprintOf(t, kClip);
  EXPECT_NE(fingerprintOf(t, {1001, 5, "00ff"}), before);
  EXPECT_NE(fingerprintOf(t, {1000, 6, "00ff"}), before);
  EXPECT_NE(fingerprintOf(t, {1000, 5, "00fe"}), before);
}

TEST(Treatment, TextsThatAreNoneAreRefused) {
  const json all = parseJson(treatmentToJson(full()));
  EXPECT_THROW(treatmentFromJson("[]"), std::exception);
  for (const auto& [key, value] : all.items()) {
    if (key == "cleaning" || key == "lens" || key == "motion" || key == "finishing" || key == "bit_rate" ||
        key == "canvas")
      continue;
    json less = all;
    less.erase(key);
    EXPECT_THROW(treatmentFromJson(jsonText(less)), std::exception) << key;
  }
}

}  // namespace
}  // namespace glenhaze
