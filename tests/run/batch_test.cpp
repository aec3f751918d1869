#include "core/run/batch.h"
#include "core/treat/iso.h"

#include <gtest/gtest.h>

#include <fstream>
#include <thread>

#include "core/base/base64.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/run/ask.h"
#include "tests/support/footage.h"
#include "tests/support/noise.h"
#include "tests/support/profiles.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;

Profile limpet() {
  Profile p = testing::limpetProfile();
  p.path = "limpet.glenhaze.json";
  return p;
}

struct Fixture {
  testing::ScratchFolder folder;
  Shoot shoot;
  std::vector<Profile> profiles{limpet()};

  Fixture() {
    shoot.output.folder = folder / "out";
    shoot.output.encode.codec = Codec::Ffv1;
  }
  void add(const std::string& name, int64_t frames = 6, double keep = 1, std::optional<int> iso = 400) {
    auto settings = testing::smallFilm(frames);
    settings.iso = iso;
    settings.keep_share = keep;
    fs::create_directories((folder / name).parent_path());
    testing::makeFilm(folder / name, settings);
    ShootClip clip;
    clip.path = folder / name;
    shoot.clips.push_back(clip);
  }
  std::vector<ClipPlan> plan() const {
    std::vector<ClipInfo> infos;
    for (const ShootClip& c : shoot.clips) infos.push_back(probe(c.path));
    return planShoot(shoot, infos, profiles);
  }
};

std::string fingerprint(const ClipPlan& plan) {
  return fingerprintOf(plan.decision.treatment, fileIdOf(plan.info.path));
}

TEST(Batch, GoesOnAfterFailuresAndNeverTouchesSources) {
  Fixture f;
  f.add("good.mp4");
  f.add("cut.mp4", 30, 0.5);
  f.add("odd ‘name’ 100% #1 [x]: ü.mp4");
  f.add("sub/good.mp4");
  std::ofstream(f.folder / "empty.mp4").flush();
  ShootClip empty;
  empty.path = f.folder / "empty.mp4";
  f.shoot.clips.push_back(empty);
  std::vector<std::string> before;
  for (const auto& c : f.shoot.clips) before.push_back(readFile(c.path));
  Batch batch(f.plan());
  batch.run({});
  const auto items = batch.items();
  std::set<fs::path> outputs;
  for (const size_t i : {0U, 2U, 3U}) {
    EXPECT_EQ(items[i].state, RunState::Done) << items[i].why;
    const ClipInfo out = probe(items[i].plan->job.place.path);
    EXPECT_EQ(out.frames, 6);
    EXPECT_EQ(out.sound.size(), 1U);
    outputs.insert(items[i].plan->job.place.path);
  }
  EXPECT_EQ(outputs.size(), 3U);  // two sources of one name give two outputs
  for (const size_t i : {1U, 4U}) {
    EXPECT_EQ(items[i].state, RunState::Failed);
    EXPECT_GT(items[i].why.size(), 20U);
  }
  for (size_t i = 0; i < before.size(); ++i) EXPECT_EQ(readFile(f.shoot.clips[i].path), before[i]);
  int visible = 0;
  for (const auto& entry : fs::directory_iterator(f.folder / "out"))
    visible += entry.path().filename().string()[0] != '.' ? 1 : 0;
  EXPECT_EQ(visible, 3);
}

TEST(Batch, ASecondRunRendersOnlyWhatIsMissing) {
  Fixture f;
  f.add("a.mp4");
  f.add("b.mp4");
  {
    Batch first(f.plan());
    first.run({});
  }
  fs::remove(f.folder / "out" / "b.mkv");
  const auto stamp = fs::last_write_time(f.folder / "out" / "a.mkv");
  Batch second(f.plan());
  second.run({});
  EXPECT_TRUE(second.items()[0].was_there);
  EXPECT_FALSE(second.items()[1].was_there);
  EXPECT_EQ(second.summary().done, 2);
  EXPECT_EQ(fs::last_write_time(f.folder / "out" / "a.mkv"), stamp);
  // Other settings: where nothing may be replaced the old output is in the way and stays.
  f.shoot.output.fill = 0.3;
  Batch third(f.plan());
  third.run({});
  EXPECT_EQ(third.summary().failed, 2);
}

TEST(Plan, OwnMotionIsTakenBackOnlyWhereTheShutterIs) {
  Fixture f;
  f.add("a.mp4");
  f.profiles[0].shutter = shutterPartByHand({0.015, ScanDirection::Down});
  EXPECT_FALSE(f.plan()[0].job.correction.shutter_local);
  const std::string before = fingerprint(f.plan()[0]);
  f.shoot.clips[0].shutter_local = true;
  EXPECT_TRUE(f.plan()[0].job.correction.shutter_local);
  EXPECT_NE(fingerprint(f.plan()[0]), before);
  f.shoot.clips[0].shutter_on = false;
  EXPECT_FALSE(f.plan()[0].job.correction.shutter_local);
}

// Whatever the name leads through, what was filmed is never a target.
TEST(Batch, ASourceIsNeverReplacedByWhateverNameItIsReached) {
  Fixture f;
  auto settings = testing::smallFilm(3);
  settings.codec = sim::FilmCodec::Ffv1;
  fs::create_directories(f.folder / "card");
  testing::makeFilm(f.folder / "card" / "a.mkv", settings);
  const std::string before = readFile(f.folder / "card" / "a.mkv");
  fs::create_directory_symlink(f.folder / "card", f.folder / "link");
  fs::create_directories(f.folder / "elsewhere");
  fs::create_hard_link(f.folder / "card" / "a.mkv", f.folder / "elsewhere" / "a.mkv");
  fs::create_directories(f.folder / "third");
  fs::create_symlink(f.folder / "card" / "a.mkv", f.folder / "third" / "a.mkv");
  const auto untouched = [&] { return readFile(f.folder / "card" / "a.mkv") == before; };
  for (const char* source : {"card/a.mkv", "link/a.mkv", "third/a.mkv"})
    for (const char* out : {"card", "link", "elsewhere", "third"}) {
      f.shoot.clips.resize(1);
      f.shoot.clips[0].path = f.folder / source;
      f.shoot.output.folder = f.folder / out;
      Batch batch(f.plan(), Replace::Files);
      batch.run({});
      const auto item = batch.items()[0];
      EXPECT_EQ(item.state, RunState::Done) << item.why;
      EXPECT_NE(item.plan->job.place.path.filename(), "a.mkv") << source << " to " << out;
      EXPECT_TRUE(untouched()) << source << " to " << out;
      EXPECT_EQ(readFile(f.folder / "elsewhere" / "a.mkv"), before);
    }
  EXPECT_TRUE(fs::is_symlink(f.folder / "third" / "a.mkv"));
  // And where the name was decided before the link was there.
  f.shoot.output.folder = f.folder / "late";
  auto plans = f.plan();
  fs::create_directories(f.folder / "late");
  fs::create_symlink(f.folder / "card" / "a.mkv", plans[0].job.place.path);
  Batch late(plans, Replace::Files);
  late.run({});
  EXPECT_EQ(late.items()[0].state, RunState::Failed);
  EXPECT_TRUE(untouched());
}

TEST(Batch, AFolderOfTheUsersIsNeverRemoved) {
  Fixture f;
  f.add("lapse.mp4", 3);
  fs::create_directories(f.folder / "out" / "lapse");
  writeFileAtomically(f.folder / "out" / "lapse" / "notes.txt", "precious");
  f.shoot.output.encode.codec = Codec::Png;
  for (const Replace replace : {Replace::Nothing, Replace::Ours, Replace::Files}) {
    Batch batch(f.plan(), replace);
    batch.run({});
    EXPECT_EQ(batch.items()[0].state, RunState::Failed);
    EXPECT_EQ(readFile(f.folder / "out" / "lapse" / "notes.txt"), "precious");
  }
}

TEST(Batch, OurOwnOutputsAreRenewedWhereNobodyChangedThem) {
  Fixture f;
  f.add("a.mp4", 3);
  f.add("b.mp4", 3);
  f.add("c.mp4", 3);
  const fs::path out = f.folder / "out";
  for (const Codec codec : {Codec::Ffv1, Codec::Png}) {
    f.shoot.output.encode.codec = codec;
    f.shoot.output.fill = 1;
    Batch(f.plan(), Replace::Ours).run({});
    const auto plans = f.plan();
    const fs::path a = plans[0].job.place.path, b = plans[1].job.place.path, c = plans[2].job.place.path;
    const FileId before = fileIdOf(a);
    // b is changed by somebody, c is replaced by something of theirs.
    const bool folders = codec == Codec::Png;
    std::ofstream(folders ? b / "mine.txt" : b, std::ios::app) << "x";
    fs::remove_all(c);
    fs::path theirs = c;
    if (folders) {
      fs::create_directory(c);
      theirs = c / "theirs.txt";
    }
    writeFileAtomically(theirs, "precious");
    f.shoot.output.fill = 0.4;
    Batch again(f.plan(), Replace::Ours);
    again.run({});
    const auto items = again.items();
    EXPECT_EQ(items[0].state, RunState::Done) << items[0].why;
    EXPECT_NE(fileIdOf(a).content, before.content);
    EXPECT_EQ(items[1].state, RunState::Failed);
    EXPECT_NE(items[1].why.find("changed since"), std::string::npos) << items[1].why;
    EXPECT_EQ(items[2].state, RunState::Failed);
    EXPECT_EQ(readFile(theirs), "precious");
    // Nothing hidden is left but the record.
    for (const auto& entry : fs::directory_iterator(out)) {
      const std::string name = entry.path().filename().string();
      EXPECT_TRUE(name[0] != '.' || name.starts_with(kRecordName)) << name;
    }
    fs::remove_all(out);
  }
}

TEST(Batch, FilesThatOnlyLookUnfinishedAreNotTouched) {
  Fixture f;
  f.add("a.mp4", 3);
  const fs::path out = f.folder / "out";
  fs::create_directories(out / ".x.part-12");
  for (const char* name : {".a.unfinished-999999999.mkv", ".y.part-7", ".x.part-12/z"})
    writeFileAtomically(out / name, "precious");
  Batch batch(f.plan());
  batch.run({});
  for (const char* name : {".a.unfinished-999999999.mkv", ".y.part-7", ".x.part-12/z"})
    EXPECT_EQ(readFile(out / name), "precious");
  EXPECT_EQ(batch.summary().done, 1);
}

TEST(Batch, PauseCancelRetryAndOrder) {
  Fixture f;
  for (const char* name : {"a.mp4", "b.mp4", "c.mp4"}) f.add(name);
  Batch batch(f.plan());
  batch.move(2, 0);
  EXPECT_EQ(batch.items()[0].plan->info.path.filename(), "c.mp4");
  batch.cancel(1);
  batch.pause(true);
  std::jthread runner([&](const std::stop_token& stop) { batch.run(stop); });
  std::this_thread::sleep_for(std::chrono::milliseconds(100));
  EXPECT_EQ(batch.summary().done, 0);
  batch.pause(false);
  runner.join();
  EXPECT_EQ(batch.summary().done, 2);
  EXPECT_EQ(batch.summary().cancelled, 1);
  batch.retry();
  batch.run({});
  EXPECT_EQ(batch.summary().done, 3);
}

TEST(Batch, StoppingDropsTheClipInWorkOnly) {
  Fixture f;
  f.add("a.mp4", 4);
  f.add("b.mp4", 60);
  Batch batch(f.plan());
  std::stop_source stop;
  batch.setListener([&] {
    if (batch.items()[1].share > 0.2) stop.request_stop();
  });
  batch.run(stop.get_token());
  EXPECT_EQ(batch.items()[0].state, RunState::Done);
  EXPECT_EQ(batch.items()[1].state, RunState::Cancelled);
  EXPECT_FALSE(fs::exists(f.folder / "out" / "b.mkv"));
}

TEST(Plan, UnmatchedClipsAreSkippedAndSwitchedOffOnesAreCopied) {
  Fixture f;
  f.add("a.mp4");
  f.profiles.clear();
  EXPECT_FALSE(f.plan()[0].refusal.empty());
  EXPECT_FALSE(f.plan()[0].failed);
  EXPECT_EQ(f.plan()[0].lens.kind, Coverage::Missing);
  f.shoot.clips[0].lens_on = false;
  EXPECT_TRUE(f.plan()[0].refusal.empty());
  EXPECT_FALSE(f.plan()[0].job.correction.lens.has_value());
}

TEST(Plan, AnOutputNeverHasTheNameOfASource) {
  Fixture f;
  auto settings = testing::smallFilm(3);
  settings.codec = sim::FilmCodec::Ffv1;
  testing::makeFilm(f.folder / "a.mkv", settings);
  ShootClip clip;
  clip.path = f.folder / "a.mkv";
  f.shoot.clips.push_back(clip);
  f.shoot.output.folder = f.folder.path();
  EXPECT_NE(f.plan()[0].job.place.path, clip.path);
}

TEST(IsoFromName, FindsTheNumberInFileOrFolder) {
  EXPECT_EQ(isoFromName("/shoot/pier ISO800.mp4", "ISO####"), 800);
  EXPECT_EQ(isoFromName("/shoot/pier_iso 12800_a.mp4", "iso #"), 12800);
  EXPECT_EQ(isoFromName("/shoot/night, ISO3200/a.mp4", "ISO####"), 3200);
  // The file's own name is nearer than its folder's.
  EXPECT_EQ(isoFromName("/ISO100/b ISO400.mp4", "ISO####"), 400);
  EXPECT_EQ(isoFromName("/x/0042_800.mp4", "*_#"), 800);
  EXPECT_EQ(isoFromName("/x/(ISO 200).mp4", "(ISO #)"), 200);
  for (const auto* pattern : {"", "ISO", "gain #"})
    EXPECT_FALSE(isoFromName("/shoot/pier ISO800.mp4", pattern)) << pattern;
  EXPECT_FALSE(isoFromName("/shoot/ISO99999999999.mp4", "ISO#"));
}

TEST(IsoOf, WhatIsSaidByHandWinsAndNoiseComesLast) {
  Shoot shoot;
  shoot.iso_pattern = "ISO#";
  ShootClip clip;
  clip.path = "/a/ISO400.mp4";
  clip.iso_estimate = IsoEstimate{900, 800, 1000, "", 5};
  ClipInfo info;
  info.iso = 200;
  using From = ClipIso::From;
  EXPECT_EQ(isoOf(shoot, clip, info)->from, From::File);
  clip.iso = 100;
  EXPECT_EQ(isoOf(shoot, clip, info)->iso, 100);
  clip.iso.reset();
  info.iso.reset();
  EXPECT_EQ(isoOf(shoot, clip, info)->from, From::Name);
  shoot.iso_pattern.clear();
  EXPECT_EQ(isoOf(shoot, clip, info)->from, From::Noise);
  clip.iso_estimate.reset();
  EXPECT_FALSE(isoOf(shoot, clip, info));
}

NoiseEntry noiseAt(double iso, const std::string& light, double sigma) {
  NoiseEntry e;
  e.curve = testing::evenCurve(sigma, sigma, iso);
  e.curve.light = light;
  return e;
}

TEST(Ask, TheRunTellsWhatNobodySaid) {
  Fixture f;
  f.add("silent.mkv", 6, 1, std::nullopt);
  f.profiles[0].noise.emplace();
  for (const double iso : {400.0, 1600.0}) f.profiles[0].noise->put(noiseAt(iso, "", iso / 400));
  auto plans = f.plan();
  EXPECT_TRUE(plans[0].questions.iso);
  EXPECT_FALSE(plans[0].questions.light);
  EXPECT_EQ(plans[0].noise.kind, Coverage::Estimated);
  EXPECT_FALSE(plans[0].job.correction.noise);
  ClipFacts facts = plans[0].facts;
  facts.noise[plans[0].decision.missing.question].iso = IsoEstimate{800, 700, 900, "", 12};
  const ClipPlan told = planAgain(plans[0], facts);
  ASSERT_TRUE(told.decision.ready());
  ASSERT_TRUE(told.job.correction.noise);
  EXPECT_NEAR(told.job.correction.noise->sigma[0][0], 2, 1e-6);
  EXPECT_FALSE(told.questions.any());
  EXPECT_EQ(told.job.place.path, plans[0].job.place.path);
  // And the run itself asks, and says what it heard.
  Batch batch(f.plan());
  batch.run({});
  EXPECT_EQ(batch.items()[0].state, RunState::Done) << batch.items()[0].why;
  EXPECT_NE(batch.items()[0].why.find("ISO"), std::string::npos) << batch.items()[0].why;
}

// The same film by a curve of its own noise, and by curves of much less and much more.
TEST(Ask, NoiseThatIsFarFromTheCurveIsSaid) {
  Fixture f;
  const auto film = testing::makeWithFfmpeg(f.folder / "grey.mkv",
                                            "-f lavfi -i color=c=0x707070:s=320x240:r=25:d=0.32 -vf "
                                            "noise=alls=14:allf=t,format=yuv420p -c:v ffv1");
  const ClipInfo info = probe(film);
  const std::vector<NoiseShot> shots{{info, {}}};
  const NoiseCurve own = measurePatches(shots, 400).curve;
  for (const double times : {1.0, 0.5, 2.0}) {
    ClipPlan plan;
    plan.info = info;
    plan.facts.id = fileIdOf(film);
    plan.decision.treatment.cleaning = Cleaning{scaledCurve(own, 1 / times), {}, {}, {}};
    FactStore store(f.folder / "facts.sqlite");
    const std::string doubt = noiseDoubt(plan, store);
    EXPECT_EQ(noiseDoubt(plan, store), doubt) << "from the store";
    if (times == 1) {
      EXPECT_EQ(doubt, "");
      continue;
    }
    EXPECT_NE(doubt.find("is " + std::string(times > 1 ? "2.0" : "0.5") + " times"), std::string::npos)
        << doubt;
    plan.facts.noise["asked"].iso = IsoEstimate{400, 350, 450, "", 9};
    EXPECT_EQ(noiseDoubt(plan, store), "") << "its own noise has told the ISO";
    EXPECT_NE(doubt.find(times > 1 ? "too little" : "detail"), std::string::npos) << doubt;
  }
}

TEST(Ask, SeveralLightsAtAKnownIsoAreAQuestionUntilSomebodySays) {
  Fixture f;
  f.add("lamp.mkv");
  f.profiles[0].noise.emplace();
  f.profiles[0].noise->put(noiseAt(800, "daylight", 2));
  f.profiles[0].noise->put(noiseAt(800, "lamp-lit", 3));
  f.shoot.clips[0].iso = 800;
  EXPECT_TRUE(f.plan()[0].questions.light);
  f.shoot.clips[0].light = "lamp-lit";
  const auto plans = f.plan();
  EXPECT_FALSE(plans[0].questions.any());
  EXPECT_NEAR(plans[0].job.correction.noise->sigma[0][0], 3, 1e-9);
}

TEST(Plan, IsoThatChangesGetsItsCurvesAndHotPixelsComeAlong) {
  Fixture f;
  f.add("dusk.mkv", 60);
  std::ofstream(f.folder / "dusk.srt") << "1\n00:00:00,000 --> 00:00:01,000\niso=400\n\n"
                                          "2\n00:00:01,000 --> 00:00:02,000\niso=1600\n\n";
  f.profiles[0].noise.emplace();
  for (const double iso : {400.0, 1600.0}) f.profiles[0].noise->put(noiseAt(iso, "", iso / 400));
  f.profiles[0].noise->hot_pixels = {{10, 20, 40}};
  const auto plan = f.plan()[0];
  ASSERT_EQ(plan.job.correction.noise_changes.size(), 2U);
  EXPECT_EQ(plan.job.correction.noise_changes[1].first, 30);
  EXPECT_NEAR(plan.job.correction.noise_changes[1].curve.sigma[0][0], 4, 1e-9);
  EXPECT_EQ(plan.noise.figure, "ISO 400–1600");
  EXPECT_EQ(plan.job.correction.hot_pixels.size(), 1U);
  f.shoot.output.noise_on = false;
  EXPECT_FALSE(f.plan()[0].job.correction.cleans());
}

TEST(ShootFile, RoundTripWithRelativeNames) {
  const testing::ScratchFolder folder;
  Shoot shoot;
  shoot.name = "Tide mill";
  ShootClip clip;
  clip.path = folder / "clips" / "a.mp4";
  clip.fill = 0.4;
  clip.range = FrameRange{3, 9};
  clip.answer = CameraAnswer{"", "wide", "air", "", {}};
  clip.shutter_local = true;
  clip.masks = {{{{0, 0}, {1, 0}, {1, 0.25}}, 7, 12}};
  clip.stabilization.emplace().window = {{4, {0.1, -0.05}, 0.8}};
  shoot.clips = {clip};
  shoot.references = {folder / "chart.mp4"};
  shoot.answers["k"] = {"Limpet A1", "wide", "", "", {"off", "", "", "flat"}};
  shoot.output.encode.codec = Codec::ProRes422HQ;
  shoot.output.size = {1280, 720};
  saveShoot(shoot, folder / "s.glenhaze-shoot.json");
  EXPECT_EQ(readFile(folder / "s.glenhaze-shoot.json").find(folder.path().string()), std::string::npos);
  const Shoot back = loadShoot(folder / "s.glenhaze-shoot.json");
  ASSERT_EQ(back.clips.size(), 1U);
  EXPECT_EQ(back.clips[0].path, clip.path);
  EXPECT_EQ(back.clips[0].fill, 0.4);
  EXPECT_EQ(back.clips[0].range->last, 9);
  EXPECT_EQ(back.clips[0].answer, clip.answer);
  EXPECT_TRUE(back.clips[0].shutter_local);
  EXPECT_EQ(back.clips[0].masks, clip.masks);
  EXPECT_EQ(back.clips[0].stabilization, clip.stabilization);
  EXPECT_EQ(back.references, shoot.references);
  EXPECT_EQ(back.answers, shoot.answers);
  EXPECT_EQ(back.output.encode.codec, Codec::ProRes422HQ);
  EXPECT_EQ(back.output.size, (PictureSize{1280, 720}));
  EXPECT_THROW(parseShoot("{\"format\":\"glenhaze-shoot\",\"version\":7}", "x"), Error);
}

TEST(ShootFile, WhatIsOutOfRangeIsRefusedWithTheKeyThatIsWrong) {
  const auto shoot = [](const std::string& clip, const std::string& output, const std::string& more = "") {
    return R"({"format":"glenhaze-shoot","version":1,"clips":[{)" + clip + R"(}],"output":{)" + output + "}" +
           more + "}";
  };
  const std::string clip = R"("path":"a.mp4")";
  EXPECT_NO_THROW(parseShoot(shoot(clip, ""), "/s/x"));
  for (const auto& [text, key] : std::vector<std::pair<std::string, std::string>>{
           {shoot(clip, R"("size":[320,0])"), "size"},
           {shoot(clip, R"("size":[1920,1])"), "size"},
           {shoot(clip, R"("size":[-2,-2])"), "size"},
           {shoot(clip, R"("bit_rate":-1)"), "bit_rate"},
           {shoot(clip + R"(,"iso":1e300)", ""), "iso"},
           {shoot(clip + R"(,"iso":-400)", ""), "iso"},
           {shoot(clip + R"(,"range":[9,3])", ""), "range"},
           {shoot(R"("path":"")", ""), "path"},
           {shoot(clip, "", R"(,"iso_pattern":")" + std::string(200'000, '*') + R"(#")"), "iso_pattern"},
           {std::string(100'000, '['), ""},
           {shoot(clip + R"(,"x":)" + std::string(1000, '[') + std::string(1000, ']'), ""), "deep"}}) {
    try {
      parseShoot(text, "/s/x");
      ADD_FAILURE() << text.substr(0, 200);
    } catch (const Error& error) {
      EXPECT_EQ(error.kind(), ErrorKind::Unreadable);
      EXPECT_NE(std::string(error.what()).find(key), std::string::npos) << error.what();
    }
  }
}

TEST(ShootFile, KeysFromTomorrowOddNamesAndThePickedLightComeBack) {
  const testing::ScratchFolder folder;
  Shoot shoot;
  ShootClip clip;
  clip.path = folder / "caf\xE9.mp4";
  clip.iso_estimate = IsoEstimate{900, 800, 1000, "lamp-lit", 5};
  shoot.clips = {clip};
  shoot.answers["k"] = {"Limpet A1", "wide", "", "", {}};
  const fs::path file = folder / "s.glenhaze-shoot.json";
  saveShoot(shoot, file);
  std::string text = readFile(file);
  for (const std::string at : {"\"path\"", "\"camera\"", "\"codec\""})
    text.insert(text.find(at), "\"from_tomorrow\": [1], ");
  writeFileAtomically(file, text);
  Shoot back = loadShoot(file);
  EXPECT_EQ(back.clips[0].path, clip.path);
  EXPECT_EQ(back.clips[0].iso_estimate->light, "lamp-lit");
  back.clips[0].iso = 400;
  back.answers["k"].view = "narrow";
  saveShoot(back, file);
  text = readFile(file);
  size_t count = 0;
  for (size_t at = text.find("from_tomorrow"); at != std::string::npos;
       at = text.find("from_tomorrow", at + 1))
    ++count;
  EXPECT_EQ(count, 3U) << text;
}

// Many stars, and long names, must not take for ever.
TEST(IsoFromName, TimeGrowsWithTheLengthsOnly) {
  const std::string name(250, 'a');
  std::string pattern;
  for (int i = 0; i < 100; ++i) pattern += "*a";
  EXPECT_FALSE(isoFromName("/x/" + name + ".mp4", pattern + "*b#"));
  EXPECT_EQ(isoFromName("/x/" + name + "b77.mp4", pattern + "*b#"), 77);
  EXPECT_FALSE(isoFromName("/x/a1.mp4", std::string(200'000, '*') + "#"));
}

TEST(Report, NamesEveryClipOnceAndEscapes) {
  Fixture f;
  f.add("a <b> & \"c\".mp4", 3);
  Batch batch(f.plan());
  batch.run({});
  const std::string html = reportHtml(batch.items(), "t"), csv = reportCsv(batch.items());
  EXPECT_NE(html.find("a &lt;b&gt; &amp; &quot;c&quot;"), std::string::npos);
  EXPECT_EQ(html.find("<b>"), std::string::npos);
  EXPECT_NE(csv.find("\"\"c\"\""), std::string::npos);
}

TEST(Report, ShowsAFrameBeforeAndAfterAndHasItAllInOnePage) {
  Fixture f;
  f.add("one.mp4", 3);
  Batch batch(f.plan());
  batch.run({});
  const std::string html = reportHtml(batch.items(), "t");
  const auto count = [&](const std::string& what) {
    int n = 0;
    for (size_t at = html.find(what); at != std::string::npos; at = html.find(what, at + 1)) ++n;
    return n;
  };
  EXPECT_EQ(count("src=\"data:image/jpeg;base64,/9j/"), 2) << "JPEG begins with FF D8 FF";
  EXPECT_EQ(count("<figcaption>before"), 1);
  EXPECT_EQ(count("http"), 0);
  // Not only pictures of the same size: of what is in the files.
  std::filesystem::remove(batch.items()[0].plan->job.place.path);
  EXPECT_EQ(reportHtml(batch.items(), "t").find("data:image"), std::string::npos);
}

// RFC 4648, section 10.
TEST(Base64, HasTheTestVectors) {
  const auto of = [](const std::string& text) {
    return base64({reinterpret_cast<const uint8_t*>(text.data()), text.size()});
  };
  EXPECT_EQ(of(""), "");
  EXPECT_EQ(of("f"), "Zg==");
  EXPECT_EQ(of("fo"), "Zm8=");
  EXPECT_EQ(of("foo"), "Zm9v");
  EXPECT_EQ(of("foobar"), "Zm9vYmFy");
}

}  // namespace
}  // namespace glenhaze
