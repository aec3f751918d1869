#include "core/treat/decide.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/base/files.h"
#include "core/treat/words.h"
#include "tests/support/footage.h"
#include "tests/support/noise.h"

namespace glenhaze {
namespace {

// A clip of a camera with a profile that holds every part; nothing is read from a disk.
struct Bench {
  Shoot shoot;
  ShootClip clip;
  ClipFacts facts;
  std::vector<Profile> profiles{1};

  Bench() {
    clip.path = "/shoot/a.mp4";
    ClipInfo& info = facts.info;
    info.path = clip.path;
    info.width = 320;
    info.height = 180;
    info.fps = info.nominal_fps = {30, 1};
    info.time_base = {1, 30000};
    info.frames = 100;
    info.make = "Limpet";
    info.model = "A1";
    info.iso = 400;
    facts.id = {1000, 5, "00ff"};
    Profile& p = profiles[0];
    p.camera.name = "Limpet A1";
    p.camera.width = 320;
    p.camera.height = 180;
    p.lens.emplace().lens = testing::testLens(LensModel::BrownConrady);
    p.shutter = shutterPartByHand({0.0148, ScanDirection::Down});
    p.stabilization.emplace();
    p.noise.emplace();
    for (const double iso : {400.0, 1600.0}) put(iso, "", iso / 400);
    p.noise->hot_pixels = {{10, 20, 40}};
  }
  void put(double iso, const std::string& light, double sigma) {
    NoiseEntry e;
    e.curve = testing::evenCurve(sigma, sigma, iso);
    e.curve.light = light;
    profiles[0].noise->put(e);
  }
  Decision decided() const { return decide(shoot, clip, facts, profiles); }
  std::string fingerprint() const { return fingerprintOf(decided().treatment, facts.id); }
};

TEST(Decide, EverythingThatIsMeasuredIsDone) {
  const Bench b;
  const Decision d = b.decided();
  ASSERT_TRUE(d.ready());
  EXPECT_EQ(partsDone(d.treatment, b.facts.info),
            (std::vector<std::string>{"lens", "shutter", "noise (ISO 400)", "hot pixels (1)",
                                      "stabilization (move kept)"}));
  EXPECT_EQ(d.treatment.range, (FrameRange{0, 100}));
}

// The file of a turned clip is stored lying; what is said is what one sees.
TEST(Decide, SizesAreSaidAsTheyAreShown) {
  Bench b;
  b.facts.info.rotation = 90;
  b.shoot.output.size = {90, 160};
  const std::vector<std::string> parts = partsDone(b.decided().treatment, b.facts.info);
  EXPECT_NE(std::find(parts.begin(), parts.end(), "size 90 × 160"), parts.end());
  EXPECT_NE(doneText(b.decided().treatment, b.facts.info).find("90 × 160"), std::string::npos);
}

// Each setting of a shoot and a clip that means something for the picture is noticed.
TEST(Decide, EverySettingThatMattersChangesTheFingerprint) {
  const std::string before = Bench().fingerprint();
  const std::vector<std::pair<const char*, std::function<void(Bench&)>>> changes = {
      {"codec", [](Bench& b) { b.shoot.output.encode.codec = Codec::Ffv1; }},
      {"quality", [](Bench& b) { b.shoot.output.encode.quality = Quality::High; }},
      {"bit rate", [](Bench& b) { b.shoot.output.encode.bit_rate = 1'000'000; }},
      {"sound", [](Bench& b) { b.shoot.output.encode.sound = Sound::None; }},
      {"encoder", [](Bench& b) { b.shoot.output.encode.graphics = true; }},
      {"size",
       [](Bench& b) {
         b.shoot.output.size = {160, 90};
       }},
      {"fill", [](Bench& b) { b.shoot.output.fill = 0.5; }},
      {"amount", [](Bench& b) { b.shoot.output.lens_amount = 0.5; }},
      {"lens off", [](Bench& b) { b.shoot.output.lens_on = false; }},
      {"shutter off", [](Bench& b) { b.shoot.output.shutter_on = false; }},
      {"noise off", [](Bench& b) { b.shoot.output.noise_on = false; }},
      {"stabilization off", [](Bench& b) { b.shoot.output.stabilization_on = false; }},
      {"clip lens off", [](Bench& b) { b.clip.lens_on = false; }},
      {"clip fill", [](Bench& b) { b.clip.fill = 0.3; }},
      {"clip amount", [](Bench& b) { b.clip.lens_amount = 0.3; }},
      {"clip noise off", [](Bench& b) { b.clip.noise_on = false; }},
      {"clip iso", [](Bench& b) { b.clip.iso = 800; }},
      {"clip denoise", [](Bench& b) { b.clip.denoise.emplace().luma = 0.5; }},
      {"flicker", [](Bench& b) { b.clip.denoise.emplace().flicker = 0.5; }},
      {"range",
       [](Bench& b) {
         b.clip.range = FrameRange{0, 50};
       }},
      {"clip shutter off", [](Bench& b) { b.clip.shutter_on = false; }},
      {"local", [](Bench& b) { b.clip.shutter_local = true; }},
      {"clip stabilization off", [](Bench& b) { b.clip.stabilization_on = false; }},
      {"clip stabilization", [](Bench& b) { b.clip.stabilization.emplace().smoothing_s = 3; }},
      {"masks",
       [](Bench& b) {
         b.clip.masks = {{{{0, 0}, {1, 0}, {1, 1}}, 0, -1}};
       }},
      {"hand",
       [](Bench& b) {
         b.clip.hand = {{5, {0.1, 0}, 0, 1, {}}};
       }},
      {"turned", [](Bench& b) { b.clip.turned = 90; }},
      {"deinterlace", [](Bench& b) { b.clip.deinterlace = true; }},
      {"lens value", [](Bench& b) { b.profiles[0].lens->lens.k[0] = -0.1; }},
      {"readout", [](Bench& b) { b.profiles[0].shutter->shutter.readout_s = 0.01; }},
      {"curve", [](Bench& b) { b.put(400, "", 1.5); }},
      {"denoise", [](Bench& b) { b.profiles[0].noise->denoise.luma = 0.5; }},
      {"hot pixels", [](Bench& b) { b.profiles[0].noise->hot_pixels.clear(); }},
      {"camera's stabilization", [](Bench& b) { b.profiles[0].stabilization->settings.pan = 0.5; }},
      {"camera's masks",
       [](Bench& b) {
         b.profiles[0].stabilization->masks = {{{{0, 0}, {1, 0}, {1, 1}}, 0, -1}};
       }},
      {"the file", [](Bench& b) { b.facts.id.content = "00fe"; }}};
  for (const auto& [name, change] : changes) {
    Bench b;
    change(b);
    ASSERT_TRUE(b.decided().ready()) << name;
    EXPECT_NE(b.fingerprint(), before) << name;
  }
}

// A clip that no profile is for: nothing is done, until it is to be treated by itself.
TEST(Decide, AClipOfNoCameraIsTreatedByItselfWhereThatIsWanted) {
  Bench b;
  b.profiles.clear();
  EXPECT_TRUE(b.decided().refusal.has_value());
  b.clip.by_itself = true;
  Decision d = b.decided();
  EXPECT_FALSE(d.refusal.has_value());
  EXPECT_TRUE(d.missing.own_noise);
  EXPECT_TRUE(d.assumed_lens);
  NoiseFact fact;
  fact.own = testing::evenCurve(2, 2, 0);
  b.facts.noise[d.missing.question] = fact;
  // Its motion may tell the lens too; until somebody looked it is assumed.
  d = b.decided();
  EXPECT_TRUE(d.missing.own_lens);
  EXPECT_FALSE(d.ready());
  b.facts.lens.emplace().why_not = "It hardly turns.";
  d = b.decided();
  EXPECT_TRUE(d.assumed_lens);
  ASSERT_TRUE(d.ready());
  ASSERT_TRUE(d.treatment.cleaning && d.treatment.cleaning->noise);
  EXPECT_EQ(d.treatment.cleaning->noise->iso, 0);
  ASSERT_TRUE(d.treatment.motion);
  EXPECT_TRUE(d.treatment.motion->own_shutter);
  EXPECT_EQ(d.treatment.motion->settings.steadying, Steadying::KeepMove);
  // Nothing is straightened by a lens that is only assumed.
  ASSERT_TRUE(d.treatment.lens);
  EXPECT_EQ(d.treatment.lens_amount, 0);
  EXPECT_EQ(d.treatment.lens->k[0], 0);
  EXPECT_EQ(treatmentFromJson(treatmentToJson(d.treatment)), d.treatment);
  // What cannot be told is a fact too: the rest is done.
  fact.own.reset();
  fact.why_not = "Nothing is even enough.";
  b.facts.noise[kOwnNoise] = fact;
  d = b.decided();
  ASSERT_TRUE(d.ready());
  EXPECT_FALSE(d.treatment.cleaning && d.treatment.cleaning->noise);
  EXPECT_TRUE(d.treatment.motion.has_value());
}

// A lens that the clip itself has told is used, and straightens where a bend was told.
TEST(Decide, TheClipsOwnLensComesBeforeAnAssumedOne) {
  Bench b;
  b.profiles.clear();
  b.clip.by_itself = true;
  b.facts.noise[kOwnNoise].why_not = "Nothing is even enough.";
  LensFact& fact = b.facts.lens.emplace();
  fact.lens = straightLens(b.facts.info.width, b.facts.info.height, 300);
  fact.focal_uncertainty = 0.01;
  Decision d = b.decided();
  ASSERT_TRUE(d.ready());
  EXPECT_TRUE(d.own_lens);
  EXPECT_FALSE(d.assumed_lens);
  EXPECT_EQ(d.treatment.lens, fact.lens);
  EXPECT_EQ(d.treatment.lens_amount, 0);
  EXPECT_THAT(d.notes, ::testing::Contains(::testing::HasSubstr("300 ± 3 px")));
  fact.lens->k[0] = -0.1;
  fact.bend_told = true;
  EXPECT_EQ(b.decided().treatment.lens_amount, 1);
  EXPECT_EQ(b.decided().treatment.lens, fact.lens);
  // Kept and found again.
  const testing::ScratchFolder folder;
  FactStore store(folder / "facts");
  b.facts.id = {1, 2, "h"};
  rememberLens(store, b.facts);
  ClipFacts again;
  again.id = b.facts.id;
  recall(store, again);
  ASSERT_TRUE(again.lens);
  EXPECT_EQ(again.lens->lens, fact.lens);
  EXPECT_TRUE(again.lens->bend_told);
  EXPECT_EQ(again.lens->focal_uncertainty, 0.01);
}

// With a profile, only what that does not say is taken from the clip.
TEST(Decide, ByItselfAProfileComesFirst) {
  Bench b;
  const Treatment with = b.decided().treatment;
  b.clip.by_itself = true;
  EXPECT_EQ(b.decided().treatment, with);
  b.profiles[0].shutter.reset();
  EXPECT_TRUE(b.decided().treatment.motion->own_shutter);
  EXPECT_EQ(b.decided().treatment.lens, with.lens);
  EXPECT_FALSE(b.decided().assumed_lens);
}

// And what means nothing for the picture leaves an output up to date.
TEST(Decide, WhatDoesNotMatterDoesNotMakeAnOutputStale) {
  const auto same = [](const char* what, const std::function<void(Bench&)>& set,
                       const std::function<void(Bench&)>& change) {
    Bench a, b;
    set(a);
    set(b);
    change(b);
    EXPECT_EQ(a.fingerprint(), b.fingerprint()) << what;
  };
  const auto nothing = [](Bench&) {};
  same("name of the shoot", nothing, [](Bench& b) { b.shoot.name = "x"; });
  same("output folder", nothing, [](Bench& b) { b.shoot.output.folder = "/x"; });
  same("evidence", nothing, [](Bench& b) { b.profiles[0].lens->rms_px = 9; });
  same("another ISO's curve", nothing, [](Bench& b) { b.put(3200, "", 9); });
  same(
      "quality of a lossless codec", [](Bench& b) { b.shoot.output.encode.codec = Codec::Ffv1; },
      [](Bench& b) { b.shoot.output.encode.quality = Quality::Small; });
  same("the clip's own size said", nothing, [](Bench& b) { b.shoot.output.size = {320, 180}; });
  same("its whole range said", nothing, [](Bench& b) { b.clip.range = FrameRange{0, 100}; });
  same(
      "noise settings of noise that is off", [](Bench& b) { b.clip.noise_on = false; },
      [](Bench& b) { b.clip.denoise.emplace().luma = 0.5; });
}

// The strength was overlooked while the ISO was still to be told.
TEST(Decide, SettingsAreNoticedAlsoWhileFactsAreMissing) {
  Bench b;
  b.facts.info.iso.reset();
  const Decision asks = b.decided();
  EXPECT_FALSE(asks.ready());
  EXPECT_TRUE(asks.missing.iso);
  b.facts.noise[asks.missing.question].iso = IsoEstimate{800, 700, 900, "", 12};
  ASSERT_TRUE(b.decided().ready());
  EXPECT_NEAR(b.decided().treatment.cleaning->noise->sigma[0][0], 2, 1e-6);
  const std::string before = b.fingerprint();
  b.clip.denoise.emplace().luma = 0.5;
  EXPECT_NE(b.fingerprint(), before);
  // Another curve asks again: the answer was held against the old ones.
  b.put(3200, "", 9);
  EXPECT_TRUE(b.decided().missing.iso);
}

TEST(Decide, WhatCannotBeToldIsNotAskedTwice) {
  Bench b;
  b.facts.info.iso.reset();
  b.facts.noise[b.decided().missing.question].why_not = "No flat place.";
  const Decision d = b.decided();
  EXPECT_TRUE(d.ready());
  EXPECT_FALSE(d.treatment.cleaning->noise);
  ASSERT_EQ(d.notes.size(), 1U);
  EXPECT_EQ(d.notes[0], "No flat place.");
  // Where noise was all that was asked for, nothing would be done: said, not delivered as done.
  b.shoot.output.lens_on = b.shoot.output.shutter_on = b.shoot.output.stabilization_on = false;
  b.profiles[0].noise->hot_pixels.clear();
  b.shoot.output.asked.noise = true;
  ASSERT_TRUE(b.decided().refusal);
  EXPECT_EQ(b.decided().refusal->reason, "No flat place.");
}

TEST(Decide, TheLightThatItsNoiseFitsIsTaken) {
  Bench b;
  b.put(400, "lamp-lit", 5);
  const Decision asks = b.decided();
  EXPECT_TRUE(asks.missing.light);
  b.facts.noise[asks.missing.question].light = LightPick{"lamp-lit", "It fits."};
  ASSERT_TRUE(b.decided().ready());
  EXPECT_NEAR(b.decided().treatment.cleaning->noise->sigma[0][0], 5, 1e-9);
}

TEST(Decide, AMotionLogCountsByItsContent) {
  const testing::ScratchFolder folder;
  Bench b;
  b.clip.motion_log = folder / "log.csv";
  writeFileAtomically(b.clip.motion_log, "t,x,y,z\n0,0,0,0\n");
  const std::string before = b.fingerprint();
  writeFileAtomically(b.clip.motion_log, "t,x,y,z\n0,1,0,0\n");
  EXPECT_NE(b.fingerprint(), before);
}

TEST(Decide, AskedForByNameAndImpossibleIsARefusal) {
  const auto refused = [](const char* part, const std::function<void(Bench&)>& change) {
    Bench b;
    OutputSettings& o = b.shoot.output;
    o.lens_on = o.shutter_on = o.noise_on = o.stabilization_on = false;
    const std::string name = part;
    (name == "lens"      ? o.lens_on
     : name == "shutter" ? o.shutter_on
     : name == "noise"   ? o.noise_on
                         : o.stabilization_on) = true;
    o.asked = {o.lens_on, o.shutter_on, o.noise_on, o.stabilization_on, false};
    EXPECT_FALSE(b.decided().refusal) << part << ": " << b.decided().refusal->reason;
    EXPECT_FALSE(partsDone(b.decided().treatment, b.facts.info).empty());
    change(b);
    const Decision d = b.decided();
    EXPECT_TRUE(d.refusal) << part;
    if (d.refusal) EXPECT_GT(d.refusal->reason.size(), 15U) << part;
  };
  refused("lens", [](Bench& b) { b.profiles[0].lens.reset(); });
  refused("shutter", [](Bench& b) { b.profiles[0].shutter.reset(); });
  refused("shutter", [](Bench& b) { b.profiles[0].shutter->shutter.direction = ScanDirection::Unknown; });
  refused("shutter", [](Bench& b) { b.profiles[0].shutter->shutter.readout_s = 0; });
  refused("noise", [](Bench& b) { b.profiles[0].noise.reset(); });
  refused("stabilization", [](Bench& b) { b.profiles[0].lens.reset(); });
  refused("stabilization", [](Bench& b) { b.facts.info.kind = ClipKind::Still; });
  for (const char* part : {"lens", "shutter", "noise", "stabilization"}) {
    refused(part, [](Bench& b) { b.profiles.clear(); });
    // A profile of another shape, given by hand.
    refused(part, [](Bench& b) {
      b.profiles[0].camera.height = 240;
      b.profiles[0].path = "x.json";
      b.clip.assigned_profile = "x.json";
    });
  }
}

TEST(Decide, FinishIsDoneWhereItIsSetOrAskedFor) {
  Bench b;
  EXPECT_FALSE(b.decided().treatment.finishing);
  b.shoot.output.asked.finish = true;
  ASSERT_TRUE(b.decided().ready());
  EXPECT_EQ(b.decided().treatment.finishing->settings, FinishSettings{});
  b.shoot.output.asked = {};
  FinishPart& part = b.profiles[0].finish.emplace();
  part.settings.exposure = 0.5;
  part.edges.emplace().summary.sharpening = {0.8, 1.2};
  EXPECT_EQ(b.decided().treatment.finishing->settings.exposure, 0.5);
  EXPECT_EQ(b.decided().treatment.finishing->camera, (Sharpening{0.8, 1.2}));
  // The clip's own settings win; what is not to be calmed does not make an output stale by having been
  // measured.
  FinishSettings& own = b.clip.finish.emplace();
  own.calm = 0;
  EXPECT_EQ(b.decided().treatment.finishing->settings.exposure, 0);
  EXPECT_EQ(b.decided().treatment.finishing->camera, Sharpening{});
  own.crisp = 0;
  EXPECT_FALSE(b.decided().treatment.finishing);
  b.shoot.output.asked.finish = true;
  EXPECT_TRUE(b.decided().refusal);
  b.clip.finish.reset();
  b.clip.finish_on = false;
  EXPECT_FALSE(b.decided().treatment.finishing);
}

TEST(Decide, AskedForAndOnlyNotSetMeansItsDefaults) {
  Bench b;
  b.profiles[0].stabilization.reset();
  EXPECT_EQ(b.decided().treatment.motion->settings.steadying, Steadying::Off);
  b.shoot.output.asked.stabilization = true;
  ASSERT_TRUE(b.decided().ready());
  EXPECT_EQ(b.decided().treatment.motion->settings, StabilizationSettings{});
}

TEST(Decide, HotPixelsOfAnotherPictureSizeAreLeftOut) {
  Bench b;
  b.profiles[0].camera.width = 640;
  b.profiles[0].camera.height = 360;
  b.profiles[0].path = "x.json";
  b.clip.assigned_profile = "x.json";
  ASSERT_TRUE(b.decided().ready());
  EXPECT_TRUE(b.decided().treatment.cleaning->hot_pixels.empty());
}

TEST(Decide, PointsBeyondTheEndAreClampedAndSaidOrRefused) {
  Bench b;
  b.clip.range = FrameRange{10, 5000};
  ASSERT_TRUE(b.decided().ready());
  EXPECT_EQ(b.decided().treatment.range, (FrameRange{10, 100}));
  EXPECT_EQ(b.decided().notes.size(), 1U);
  b.clip.range = FrameRange{100, 5000};
  EXPECT_TRUE(b.decided().refusal);
}

// What the camera does to the picture is part of the mode: its noise is another one.
TEST(Decide, InCameraSettingsAreMatched) {
  for (const auto member : {&InCamera::sharpening, &InCamera::denoising, &InCamera::tone}) {
    Bench b;
    b.profiles[0].camera.in_camera.*member = "High";
    b.clip.answer.emplace().in_camera.*member = "  high ";
    EXPECT_EQ(b.decided().match.kind, MatchKind::Exact);
    b.clip.answer->in_camera.*member = "low";
    EXPECT_EQ(b.decided().match.kind, MatchKind::Borrowed);
    EXPECT_TRUE(b.decided().treatment.lens);
    EXPECT_FALSE(b.decided().treatment.cleaning && b.decided().treatment.cleaning->noise);
  }
}

// 16 : 9 into 4 : 3, by hand.
TEST(Delivery, ClipsOfAnotherShapeFillHaveBarsOrKeepTheirPixels) {
  OutputSettings o;
  ClipInfo clip;
  clip.width = 320;
  clip.height = 180;
  const auto expect = [&](PictureSize picture, Canvas canvas) {
    const Delivery d = deliveryOf(o, clip);
    EXPECT_EQ(d.picture, picture);
    EXPECT_EQ(d.canvas, canvas);
  };
  expect({}, {});  // each clip's own
  o.size = {640, 480};
  expect({640, 480}, {});  // what fills it in the middle needs no canvas
  o.place = {-1, 0};
  expect({853, 480}, {{640, 480}, 0, 0});
  o.place = {1, 0};
  expect({853, 480}, {{640, 480}, -213, 0});
  o.shape = OutputShape::Bars;
  o.place = {};
  expect({640, 360}, {{640, 480}, 0, 60});
  o.place = {0, 1};
  expect({640, 360}, {{640, 480}, 0, 120});
  o.shape = OutputShape::Pixels;
  o.place = {};
  expect({}, {{640, 480}, 160, 150});
  o.size = {100, 100};
  expect({}, {{100, 100}, -110, -40});
  // Of the same shape there is nothing to choose.
  for (const OutputShape shape : {OutputShape::Fill, OutputShape::Bars}) {
    o.shape = shape;
    o.size = {1280, 720};
    expect({1280, 720}, {});
    o.size = {320, 180};
    expect({}, {});
  }
  o.shape = OutputShape::Pixels;
  expect({}, {});
}

// A clip that is turned for showing comes out in the size that was asked for, as it is shown.
TEST(Delivery, TurnedClipsAreAskedForWhatIsShown) {
  OutputSettings o;
  ClipInfo clip;
  clip.width = 320;
  clip.height = 180;
  clip.rotation = 90;
  o.size = {180, 320};
  EXPECT_EQ(deliveryOf(o, clip).picture, PictureSize{});
  EXPECT_EQ(deliveryOf(o, clip).canvas, Canvas{});
  // Upright into a wide one: 180 × 320 becomes 203 × 360, with bars at its sides, which are above and below
  // in the picture as stored.
  o.size = {640, 360};
  o.shape = OutputShape::Bars;
  EXPECT_EQ(deliveryOf(o, clip).picture, (PictureSize{360, 203}));
  EXPECT_EQ(deliveryOf(o, clip).canvas.size, (PictureSize{360, 640}));
  // At the left of what is shown: by a quarter turn clockwise what is below as stored comes to the left.
  o.place = {-1, 0};
  EXPECT_EQ(deliveryOf(o, clip).canvas.y, 640 - 203);
  clip.rotation = 270;
  EXPECT_EQ(deliveryOf(o, clip).canvas.y, 0);
  clip.mirrored = true;
  EXPECT_EQ(deliveryOf(o, clip).canvas.y, 640 - 203);
  clip.mirrored = false;
  clip.rotation = 180;
  o.size = {640, 480};
  o.place = {0, -1};
  EXPECT_EQ(deliveryOf(o, clip).canvas.y, 120);
}

TEST(Delivery, ShapeAndPlaceAreKeptAndMakeAnOutputStale) {
  Bench bench;
  bench.shoot.output.size = {640, 480};
  const std::string before = bench.fingerprint();
  bench.shoot.output.shape = OutputShape::Bars;
  EXPECT_NE(bench.fingerprint(), before);
  EXPECT_EQ(bench.decided().treatment.delivered({320, 180}), (PictureSize{640, 480}));
  bench.shoot.output.place = {0, 0.5};
  const OutputSettings read = outputFromText(outputToText(bench.shoot.output));
  EXPECT_EQ(read.shape, OutputShape::Bars);
  EXPECT_EQ(read.place, (Point{0, 0.5}));
}

TEST(Shoot, PinsAreKeptWithTheirClip) {
  Shoot shoot;
  shoot.clips.emplace_back().path = "/s/a.mp4";
  shoot.clips[0].pins = {{0.25, 0.5}, {1, 0}};
  const Shoot read = parseShoot(shootToJson(shoot, "/s/x.glenhaze-shoot.json"), "/s/x.glenhaze-shoot.json");
  EXPECT_EQ(read.clips.at(0).pins, shoot.clips[0].pins);
}

}  // namespace
}  // namespace glenhaze
