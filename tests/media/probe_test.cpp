#include "core/base/files.h"
#include "core/media/clip_info.h"

#include <gtest/gtest.h>

#include <sys/stat.h>

#include <fstream>

#include "core/media/reader.h"
#include "core/media/telemetry.h"
#include "core/profile/match.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

using Kind = ClipProblem::Kind;

bool has(const ClipInfo& info, Kind kind) {
  for (const ClipProblem& p : info.problems)
    if (p.kind == kind) return true;
  return false;
}

TEST(Probe, ReadsWhatTheCameraWrote) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(13);
  settings.fps = {30000, 1001};
  settings.timecode = "10:20:30:04";
  const ClipInfo info = probe(testing::makeFilm(folder / "a.mp4", settings));
  EXPECT_TRUE(info.readable());
  EXPECT_EQ(info.frames, 13);
  EXPECT_EQ(info.fps, (Rational{30000, 1001}));
  EXPECT_EQ(info.width, 320);
  EXPECT_EQ(cameraNameOf(info), "Limpet A1");
  EXPECT_EQ(info.iso, 400);
  EXPECT_EQ(info.timecode, "10:20:30:04");
  EXPECT_EQ(info.sound.size(), 1U);
  EXPECT_EQ(info.colour.matrix, 1);
  EXPECT_FALSE(info.variable_rate);
  EXPECT_TRUE(info.problems.empty());
}

TEST(Probe, TelemetryTellsCameraAndIso) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm();
  settings.make = settings.model = "";
  settings.iso.reset();
  // The length of the text must not matter: it stands in front of it as two bytes.
  for (const std::string pad : {"", "; shutter: 1/60", "; shutter: 1/60; height: 12.5 m; heading 210"}) {
    settings.telemetry = "camera: Skerrel D3; iso: 1250" + pad;
    const ClipInfo info = probe(testing::makeFilm(folder / "t.mp4", settings));
    EXPECT_EQ(cameraNameOf(info), "Skerrel D3") << pad;
    EXPECT_EQ(info.iso, 1250);
  }
}

TEST(Probe, TelemetryBesideTheClipIsReadToo) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm();
  settings.make = settings.model = "";
  settings.iso.reset();
  const auto path = testing::makeFilm(folder / "t.mp4", settings);
  EXPECT_FALSE(probe(path).iso);
  writeFileAtomically(folder / "t.SRT", "1\n00:00:00,000 --> 00:00:01,000\n[iso : 640] [shutter : 1/60.0]\n");
  EXPECT_EQ(probe(path).iso, 640);
  // What the clip itself says wins.
  settings.iso = 200;
  EXPECT_EQ(probe(testing::makeFilm(folder / "t.mp4", settings)).iso, 200);
}

TEST(Probe, SaysWhatIsOdd) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(20);
  settings.sound = false;
  settings.rotation = 90;
  settings.dropped = {5, 6, 12};
  const ClipInfo info = probe(testing::makeFilm(folder / "odd.mp4", settings));
  EXPECT_TRUE(has(info, Kind::NoSound));
  EXPECT_TRUE(has(info, Kind::Rotated));
  EXPECT_TRUE(has(info, Kind::VariableRate));
  EXPECT_EQ(info.rotation, 90);
  EXPECT_EQ(info.frames, 17);
  EXPECT_TRUE(info.readable());
}

TEST(Probe, CutOffEmptyMissingAndNonsenseAreFatalWithAReason) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(30);
  settings.keep_share = 0.5;
  const ClipInfo cut = probe(testing::makeFilm(folder / "cut.mp4", settings));
  EXPECT_FALSE(cut.readable());
  EXPECT_TRUE(has(cut, Kind::Truncated));
  std::ofstream(folder / "empty.mp4").flush();
  std::ofstream(folder / "text.mp4") << "this is no film";
  for (const char* name : {"empty.mp4", "text.mp4", "missing.mp4"}) {
    const ClipInfo info = probe(folder / name);
    EXPECT_FALSE(info.readable()) << name;
    ASSERT_FALSE(info.problems.empty()) << name;
    EXPECT_GT(info.problems.front().text.size(), 20U) << name;
  }
}

TEST(Probe, PipesAndDevicesAreRefusedAtOnce) {
  const testing::ScratchFolder folder;
  ASSERT_EQ(::mkfifo((folder / "pipe.mp4").c_str(), 0600), 0);
  EXPECT_FALSE(probe(folder / "pipe.mp4").readable());
  EXPECT_FALSE(probe("/dev/zero").readable());
}

TEST(Probe, InterlacedIsRecognised) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(8);
  settings.interlaced = true;
  EXPECT_TRUE(has(probe(testing::makeFilm(folder / "i.mp4", settings)), Kind::Interlaced));
}

TEST(Probe, IsoThatChangesWithinTheClipIsFollowed) {
  const testing::ScratchFolder folder;
  const auto clip = testing::makeFilm(folder / "dusk.mp4", testing::smallFilm(60));
  std::ofstream(folder / "dusk.srt") << "1\n00:00:00,000 --> 00:00:00,500\niso=400 shutter=1/60\n\n"
                                        "2\n00:00:00,500 --> 00:00:01,000\niso=400\n\n"
                                        "3\n00:00:01,000 --> 00:00:02,000\niso : 800\n\n";
  const ClipInfo info = probe(clip);
  EXPECT_EQ(info.iso, 400);
  ASSERT_EQ(info.iso_changes.size(), 2U);
  EXPECT_EQ(info.iso_changes[0], (std::pair<double, int>{0, 400}));
  EXPECT_EQ(info.iso_changes[1], (std::pair<double, int>{1, 800}));
}

TEST(Telemetry, TimesOfWebVttMayLackHours) {
  const testing::ScratchFolder folder;
  writeFileAtomically(
      folder / "a.vtt",
      "WEBVTT\n\n00:01.500 --> 00:02.000\nISO 1600\n\n01:00:00.000 --> 01:00:01.000\nno words\n");
  const auto found = readTimedNotes(folder / "a.vtt").isos;
  ASSERT_EQ(found.size(), 1U);
  EXPECT_DOUBLE_EQ(found[0].first, 1.5);
  EXPECT_EQ(found[0].second, 1600);
}

// What reads it must neither recurse nor take for ever, whatever a file holds.
TEST(Telemetry, LongLinesAndHugeNumbersAreHarmless) {
  const testing::ScratchFolder folder;
  const std::string entry = "1\n00:00:00,000 --> 00:00:01,000\n";
  const std::string far = "2\n99999999999999:00:00,000 --> 99999999999999:00:01,000\niso=100\n\n";
  writeFileAtomically(folder / "a.srt", entry + "camera=" + std::string(1'000'000, 'x') + "\n\n" + far +
                                            "3\n00:00:01,000 --> 00:00:02,000\niso=" +
                                            std::string(200'000, '9') + " iso: 800\n");
  const TimedNotes notes = readTimedNotes(folder / "a.srt");
  EXPECT_TRUE(
      std::any_of(notes.isos.begin(), notes.isos.end(), [](const auto& n) { return n.second == 800; }));
  EXPECT_FALSE(parseTelemetry("iso=99999999").iso);
  writeFileAtomically(folder / "b.srt", std::string(300'000, '\0'));
  EXPECT_TRUE(readTimedNotes(folder / "b.srt").isos.empty());
}

TEST(Telemetry, AnyIsoKeyIsUnderstood) {
  EXPECT_EQ(parseTelemetry("iso=400").iso, 400);
  EXPECT_EQ(parseTelemetry("ISO: 1600, shutter 1/50").iso, 1600);
  EXPECT_EQ(parseTelemetry("aperture 2.8 iso 100").iso, 100);
  EXPECT_EQ(parseTelemetry("isolated 400, ISO : 250").iso, 250);
  EXPECT_EQ(parseTelemetry("no camera; camera= Limpet A1 ; iso=1").camera, "Limpet A1");
  EXPECT_FALSE(parseTelemetry("isolated 400").iso.has_value());
  EXPECT_FALSE(parseTelemetry("").iso.has_value());
}

TEST(Reader, SeekAndReadThroughGiveTheSameFrames) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(40);
  for (const bool varying : {false, true}) {
    if (varying) settings.dropped = {3, 4, 21};
    const ClipInfo info = probe(testing::makeFilm(folder / "s.mp4", settings));
    std::vector<Frame> all;
    ClipReader reader(info);
    while (auto frame = reader.next()) all.push_back(std::move(*frame));
    ASSERT_EQ(static_cast<int64_t>(all.size()), info.frames);
    for (const int64_t at : {int64_t{0}, int64_t{17}, int64_t{5}, info.frames - 1, int64_t{16}}) {
      const Frame frame = readFrame(info, at);
      EXPECT_EQ(frame.index, at);
      EXPECT_EQ(frame.pts, all[static_cast<size_t>(at)].pts);
      EXPECT_TRUE(sameSamples(frame, all[static_cast<size_t>(at)])) << at;
    }
  }
}

TEST(Reader, DeinterlacingGivesOneWholeFramePerFrame) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(10);
  settings.interlaced = true;
  const ClipInfo info = probe(testing::makeFilm(folder / "i.mp4", settings));
  ClipReader reader(info, {0, Fields::Deinterlace});
  int count = 0;
  int64_t last = -1;
  while (auto frame = reader.next()) {
    EXPECT_FALSE(frame->interlaced);
    EXPECT_GT(frame->pts, last);
    last = frame->pts;
    ++count;
  }
  EXPECT_EQ(count, 10);
}

}  // namespace
}  // namespace glenhaze
