// Stretches of clips, joined films, and cut lists that lead to them.
#include "core/run/reel.h"

#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/media/sound.h"
#include "core/run/cut_list.h"
#include "core/run/picking.h"
#include "core/run/status.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;
using nlohmann::json;

class Reel : public ::testing::Test {
 protected:
  Reel() {
    shoot.path = folder / "s.glenhaze-shoot.json";
    shoot.output.folder = folder / "out";
    shoot.output.encode.codec = Codec::Ffv1;
    shoot.output.lens_on = shoot.output.shutter_on = shoot.output.noise_on = shoot.output.stabilization_on =
        shoot.output.finish_on = false;
  }
  // 25 frames a second of a moving pattern, with a tone.
  fs::path add(const std::string& name, double seconds, int hz, const std::string& more = "") {
    const auto path = testing::makeWithFfmpeg(
        folder / name, "-f lavfi -i testsrc2=s=160x90:r=25:d=" + std::to_string(seconds) +
                           " -f lavfi -i \"aevalsrc=0.5*sin(2*PI*" + std::to_string(hz) +
                           "*t)|0.5*sin(2*PI*" + std::to_string(hz) + "*t):s=48000:d=" +
                           std::to_string(seconds) + "\" -c:v ffv1 -pix_fmt yuv420p -c:a pcm_s24le " + more);
    ShootClip clip;
    clip.path = path;
    shoot.clips.push_back(clip);
    return path;
  }
  std::vector<ClipPlan> plan() const {
    std::vector<ClipInfo> infos;
    for (const ShootClip& c : shoot.clips) infos.push_back(probe(c.path));
    return planShoot(shoot, infos, {});
  }
  ReelResult join(const std::string& name, double dissolve_s) {
    return makeReel(plan(), {folder / name, dissolve_s}, store);
  }
  static std::vector<float> soundOf(const fs::path& path) {
    const ClipInfo info = probe(path);
    SoundReader reader(info, 48000, 2);
    std::vector<float> all(static_cast<size_t>(std::llround(info.frameTime(info.frames) * 48000)) * 2);
    reader.read(all);
    return all;
  }
  // The largest step from one sample to the next of the first channel.
  static double step(const std::vector<float>& sound, size_t from, size_t to) {
    double most = 0;
    for (size_t i = from + 1; i < to; ++i)
      most =
          std::max(most, std::abs(static_cast<double>(sound[2 * i]) - static_cast<double>(sound[2 * i - 2])));
    return most;
  }
  testing::ScratchFolder folder;
  Shoot shoot;
  FactStore store;
};

TEST_F(Reel, EachStretchIsAnOutputOfItsOwn) {
  const fs::path clip = add("long.mkv", 2, 440);
  keepStretch(shoot.clips[0], {{30, 42}, "steady"});
  keepStretch(shoot.clips[0], {{5, 12}, ""});
  ASSERT_EQ(shoot.clips[0].stretches.size(), 2U);
  EXPECT_EQ(shoot.clips[0].stretches[0].frames.first, 5);
  auto plans = plan();
  ASSERT_EQ(plans.size(), 1U);
  Batch batch(plans);
  batch.run({});
  ASSERT_EQ(batch.items().size(), 2U);
  const ClipInfo first = probe(folder / "out" / "long_1.mkv"), second = probe(folder / "out" / "long_2.mkv");
  EXPECT_EQ(first.frames, 7);
  EXPECT_EQ(second.frames, 12);
  const ClipInfo source = probe(clip);
  EXPECT_TRUE(sameSamples(readFrame(first, 0), readFrame(source, 5)));
  EXPECT_TRUE(sameSamples(readFrame(second, 11), readFrame(source, 41)));
  RunRecord record(folder / "out");
  EXPECT_EQ(statusOf(plans[0], &record).kind, ClipStatus::Kind::Rendered);
  // One of them is set otherwise: that one is made again.
  shoot.clips[0].stretches[1].frames.last = 45;
  plans = plan();
  const ClipStatus status = statusOf(plans[0], &record);
  EXPECT_EQ(status.kind, ClipStatus::Kind::OutOfDate);
  EXPECT_NE(status.why.find("1 of 2 stretches"), std::string::npos) << status.why;
  Batch again(plans, Replace::Ours);
  again.run({});
  EXPECT_TRUE(again.items()[0].was_there);
  EXPECT_FALSE(again.items()[1].was_there);
  EXPECT_EQ(probe(folder / "out" / "long_2.mkv").frames, 15);
}

TEST_F(Reel, StretchesAreKeptInTheShootsFile) {
  add("long.mkv", 1, 440);
  keepStretch(shoot.clips[0], {{2, 9}, "steady, 3 % of the picture moves on its own"});
  keepStretch(shoot.clips[0], {{12, 20}, ""});
  saveShoot(shoot, shoot.path);
  EXPECT_EQ(loadShoot(shoot.path).clips[0].stretches, shoot.clips[0].stretches);
  // What a new one overlaps goes.
  keepStretch(shoot.clips[0], {{8, 13}, ""});
  ASSERT_EQ(shoot.clips[0].stretches.size(), 1U);
  EXPECT_EQ(shoot.clips[0].stretches[0].frames.last, 13);
}

TEST_F(Reel, PartsDissolveIntoOneAnotherWithTheirSound) {
  const fs::path a = add("a.mkv", 2, 440), b = add("b.mkv", 2, 610, "-vf hue=h=90");
  shoot.clips[1].range = FrameRange{5, 45};
  constexpr int64_t kShared = 13;  // half a second at 25 frames/s, rounded
  const ReelResult made = join("all.mkv", 0.5);
  EXPECT_EQ(made.parts, 2);
  EXPECT_EQ(made.frames, 50 + 40 - kShared);
  const ClipInfo whole = probe(folder / "all.mkv");
  ASSERT_EQ(whole.frames, made.frames);
  EXPECT_NEAR(whole.duration_s, static_cast<double>(made.frames) / 25, 1e-3);
  const ClipInfo from = probe(a), to = probe(b);
  EXPECT_TRUE(sameSamples(readFrame(whole, 36), readFrame(from, 36)));
  EXPECT_TRUE(sameSamples(readFrame(whole, 50), readFrame(to, 5 + 13)));
  // The seventh of thirteen shared frames is half of each.
  const Frame middle = readFrame(whole, 37 + 6), left = readFrame(from, 37 + 6), right = readFrame(to, 5 + 6);
  for (size_t p = 0; p < 3; ++p)
    for (int y = 0; y < middle.planes[p].height; y += 5)
      for (int x = 0; x < middle.planes[p].width; x += 5)
        ASSERT_NEAR(middle.planes[p].at(x, y, 1),
                    (left.planes[p].at(x, y, 1) + right.planes[p].at(x, y, 1)) / 2.0, 0.51);
  // Sound: as in the clips outside, and no step is larger than the larger of theirs.
  const std::vector<float> sound = soundOf(folder / "all.mkv"), own = soundOf(a), other = soundOf(b);
  const auto sample = [](int64_t frame) { return static_cast<size_t>(frame * 1920); };
  for (size_t i = 0; i < sample(36); i += 97) ASSERT_NEAR(sound[2 * i], own[2 * i], 2e-6);
  for (size_t i = sample(51); i < sample(76); i += 97)
    ASSERT_NEAR(sound[2 * i], other[2 * (i - sample(37) + sample(5))], 2e-6);
  const double allowed = std::max(step(own, 0, sample(50)), step(other, 0, sample(50)));
  EXPECT_LE(step(sound, 0, sample(made.frames)), allowed * 1.001);
  // Both are heard in the middle.
  double power = 0;
  for (size_t i = sample(42); i < sample(45); ++i) power += static_cast<double>(sound[2 * i]) * sound[2 * i];
  EXPECT_NEAR(power / static_cast<double>(sample(3)), 2 * 0.25 * 0.125, 0.02);
}

TEST_F(Reel, AHardCutDoesNotClick) {
  add("a.mkv", 1, 441);
  add("b.mkv", 1, 613);
  // Where the first one's tone stands at its height.
  shoot.clips[0].range = FrameRange{0, 13};
  const ReelResult made = join("cut.mkv", 0);
  EXPECT_EQ(made.frames, 13 + 25);
  const std::vector<float> sound = soundOf(folder / "cut.mkv");
  const double allowed = 0.5 * 2 * std::numbers::pi * 613 / 48000;
  EXPECT_LE(step(sound, 0, 38 * 1920), allowed * 1.01);
}

TEST_F(Reel, IsRenderedOnceAndReplacedOnlyWhereItIsOurs) {
  add("a.mkv", 1, 441);
  add("b.mkv", 1, 613);
  EXPECT_FALSE(join("all.mkv", 0.2).was_there);
  EXPECT_TRUE(join("all.mkv", 0.2).was_there);
  EXPECT_FALSE(join("all.mkv", 0.3).was_there);
  EXPECT_EQ(probe(folder / "all.mkv").frames, 50 - 8);
  writeFileAtomically(folder / "mine.mkv", "somebody's");
  EXPECT_THROW(join("mine.mkv", 0.2), Error);
  EXPECT_EQ(readFile(folder / "mine.mkv"), "somebody's");
  // Footage is never written over.
  EXPECT_THROW(join("a.mkv", 0.2), Error);
  EXPECT_EQ(probe(folder / "a.mkv").frames, 25);
  int files = 0;
  for (const auto& entry : fs::directory_iterator(folder.path()))
    files += entry.path().extension() == ".mkv" ? 1 : 0;
  EXPECT_EQ(files, 4) << "nothing half made is left";
}

TEST_F(Reel, WhatCannotStandInOneFileIsSaid) {
  const auto why = [&](const std::string& name, double dissolve_s) -> std::string {
    try {
      join(name, dissolve_s);
    } catch (const Error& error) {
      EXPECT_EQ(error.kind(), ErrorKind::BadRequest);
      return error.what();
    }
    return "";
  };
  add("a.mkv", 1, 441);
  EXPECT_NE(why("x.mp4", 0).find(".mkv"), std::string::npos);
  EXPECT_EQ(why("alone.mkv", 2), "") << "one part goes over into none";
  add("b.mkv", 1, 441, "-s 320x180");
  EXPECT_NE(why("x.mkv", 0).find("320 × 180"), std::string::npos);
  shoot.output.size = {160, 90};
  EXPECT_EQ(why("y.mkv", 0), "");
  EXPECT_NE(why("x.mkv", 0.6).find("too short"), std::string::npos);
  add("c.mkv", 1, 441, "-r 30");
  EXPECT_NE(why("x.mkv", 0).find("frame rates"), std::string::npos);
  shoot.clips[2].render = false;
  EXPECT_NE(why("out/a.mkv", 0).find("own output"), std::string::npos);
  EXPECT_EQ(why("z.mkv", 0.2), "");
  // A thousandth of the rate is none that matters.
  add("d.mkv", 1, 441, "-r 25025/1000");
  EXPECT_EQ(why("w.mkv", 0.2), "");
}

// Made-up films of known length; the text by hand.
CutList twoParts() {
  CutList list;
  list.title = "Week 14";
  list.fps = {25, 1};
  list.events = {{"mill.mp4", "/films/mill_1.mp4", "10:00:00:00", 100, true, "/card/mill.mp4", 250, "steady"},
                 {"boat.mp4", "/films/boat 7.mp4", "", 60, true, "/card/boat.mp4", 0, ""}};
  return list;
}

TEST(Cuts, AreWrittenAsAnEditDecisionList) {
  CutList list = twoParts();
  EXPECT_EQ(edlOf(list),
            "TITLE: Week 14\n"
            "FCM: NON-DROP FRAME\n\n"
            "001  MILL1    AA/V  C        10:00:00:00 10:00:04:00 01:00:00:00 01:00:04:00\n"
            "* FROM CLIP NAME: mill_1.mp4\n"
            "* SOURCE FILE: /films/mill_1.mp4\n"
            "* COMMENT: steady\n"
            "002  BOAT7    AA/V  C        00:00:00:00 00:00:02:10 01:00:04:00 01:00:06:10\n"
            "* FROM CLIP NAME: boat 7.mp4\n"
            "* SOURCE FILE: /films/boat 7.mp4\n");
  list.dissolve = 10;
  EXPECT_EQ(edlOf(list),
            "TITLE: Week 14\n"
            "FCM: NON-DROP FRAME\n\n"
            "001  MILL1    AA/V  C        10:00:00:00 10:00:03:15 01:00:00:00 01:00:03:15\n"
            "* FROM CLIP NAME: mill_1.mp4\n"
            "* SOURCE FILE: /films/mill_1.mp4\n"
            "* COMMENT: steady\n"
            "002  MILL1    AA/V  C        10:00:03:15 10:00:03:15 01:00:03:15 01:00:03:15\n"
            "002  BOAT7    AA/V  D    010 00:00:00:00 00:00:02:10 01:00:03:15 01:00:06:00\n"
            "* FROM CLIP NAME: mill_1.mp4\n"
            "* TO CLIP NAME: boat 7.mp4\n"
            "* SOURCE FILE: /films/boat 7.mp4\n");
  EXPECT_EQ(list.frames(), 150);
}

// The fields that the published schemas of OpenTimelineIO ask for (Timeline.1, Stack.1, Track.1, Clip.1,
// Transition.1, TimeRange.1, RationalTime.1; from memory).
void expectTime(const json& time, double rate) {
  EXPECT_EQ(time.at("OTIO_SCHEMA"), "RationalTime.1");
  EXPECT_EQ(time.at("rate").get<double>(), rate);
  EXPECT_TRUE(time.at("value").is_number());
}
double lengthOf(const json& item) { return item.at("source_range").at("duration").at("value"); }

TEST(Cuts, AreWrittenAsATimeline) {
  CutList list = twoParts();
  list.dissolve = 10;
  const json timeline = json::parse(otioOf(list));
  EXPECT_EQ(timeline.at("OTIO_SCHEMA"), "Timeline.1");
  EXPECT_EQ(timeline.at("name"), "Week 14");
  EXPECT_EQ(timeline.at("tracks").at("OTIO_SCHEMA"), "Stack.1");
  ASSERT_EQ(timeline.at("tracks").at("children").size(), 2U);
  EXPECT_EQ(timeline["tracks"]["children"][1].at("kind"), "Audio");
  const json& track = timeline["tracks"]["children"][0];
  EXPECT_EQ(track.at("OTIO_SCHEMA"), "Track.1");
  EXPECT_EQ(track.at("kind"), "Video");
  const json& items = track.at("children");
  ASSERT_EQ(items.size(), 3U);
  double total = 0;
  for (const size_t i : {0U, 2U}) {
    const json& clip = items[i];
    EXPECT_EQ(clip.at("OTIO_SCHEMA"), "Clip.1");
    for (const char* range : {"source_range"}) {
      EXPECT_EQ(clip.at(range).at("OTIO_SCHEMA"), "TimeRange.1");
      expectTime(clip.at(range).at("start_time"), 25);
      expectTime(clip.at(range).at("duration"), 25);
    }
    const json& media = clip.at("media_reference");
    EXPECT_EQ(media.at("OTIO_SCHEMA"), "ExternalReference.1");
    // The part that is used, and what goes over into the neighbour, lies within what there is.
    const json &used = clip["source_range"], &there = media.at("available_range");
    EXPECT_GE(used["start_time"]["value"].get<double>(), there["start_time"]["value"].get<double>());
    EXPECT_LE(used["start_time"]["value"].get<double>() + used["duration"]["value"].get<double>(),
              there["start_time"]["value"].get<double>() + there["duration"]["value"].get<double>());
    total += lengthOf(clip);
  }
  EXPECT_EQ(total, static_cast<double>(list.frames()));
  EXPECT_EQ(items[0]["media_reference"]["target_url"], "file:///films/mill_1.mp4");
  EXPECT_EQ(items[2]["media_reference"]["target_url"], "file:///films/boat%207.mp4");
  // Ten hours at 25 frames a second.
  EXPECT_EQ(items[0]["source_range"]["start_time"]["value"], 900000.0);
  const json& transition = items[1];
  EXPECT_EQ(transition.at("OTIO_SCHEMA"), "Transition.1");
  EXPECT_EQ(transition.at("transition_type"), "SMPTE_Dissolve");
  EXPECT_EQ(transition["in_offset"]["value"].get<double>() + transition["out_offset"]["value"].get<double>(),
            10.0);
  // As many frames as the clips have left beside the cut.
  EXPECT_EQ(100 - lengthOf(items[0]), transition["out_offset"]["value"].get<double>());
  EXPECT_EQ(60 - lengthOf(items[2]), transition["in_offset"]["value"].get<double>());
}

// Dropped frame numbers: SMPTE ST 12-1; ten minutes at 29.97 are 17982 frames.
TEST(Cuts, CountDroppedFrameNumbers) {
  CutList list = twoParts();
  list.fps = {30000, 1001};
  list.events.resize(1);
  list.events[0].timecode = "00:10:00;00";
  const json timeline = json::parse(otioOf(list));
  EXPECT_EQ(timeline["tracks"]["children"][0]["children"][0]["source_range"]["start_time"]["value"], 17982.0);
  list.events[0].timecode = "00:00:59;29";
  list.events[0].frames = 1;
  EXPECT_NE(edlOf(list).find("00:00:59;29 00:01:00;02"), std::string::npos) << edlOf(list);
}

}  // namespace
}  // namespace glenhaze
