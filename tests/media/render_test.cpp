#include "core/pipeline/render.h"

#include <gtest/gtest.h>

#include <unistd.h>

#include <fstream>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/frame/turn.h"
#include "core/media/sequence.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

RenderJob jobFor(const ClipInfo& clip, const std::filesystem::path& out, Codec codec) {
  RenderJob job;
  job.clip = clip;
  job.correction.lens = testing::testLens(LensModel::BrownConrady, clip.width, clip.height);
  job.encode.codec = codec;
  job.place.path = out.string() + outputEnding(clip, job.encode);
  return job;
}

class EveryCodec : public ::testing::TestWithParam<Codec> {};
INSTANTIATE_TEST_SUITE_P(Render, EveryCodec,
                         ::testing::Values(Codec::H264, Codec::H265, Codec::ProRes422HQ, Codec::Ffv1),
                         [](const auto& info) { return codecName(info.param); });

TEST_P(EveryCodec, KeepsFramesSoundTagsAndRotation) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(15);
  settings.timecode = "01:02:03:04";
  settings.telemetry = "iso: 400";
  if (GetParam() != Codec::Ffv1) settings.rotation = 90;
  const ClipInfo clip = probe(testing::makeFilm(folder / "in.mp4", settings));
  const RenderResult result = renderClip(jobFor(clip, folder / "out", GetParam()));
  const ClipInfo out = probe(result.written.path);
  EXPECT_TRUE(out.readable());
  EXPECT_EQ(out.frames, clip.frames);
  EXPECT_EQ(out.fps, clip.fps);
  EXPECT_NEAR(out.duration_s, clip.duration_s, 0.04);
  ASSERT_EQ(out.sound.size(), 1U);
  EXPECT_EQ(out.sound[0].codec, "aac");
  EXPECT_EQ(out.model, "A1");
  EXPECT_EQ(out.rotation, settings.rotation);
  EXPECT_EQ(out.timecode, "01:02:03:04");
  EXPECT_EQ(out.colour.matrix, 1);
  EXPECT_EQ(out.colour.primaries, 1);
  if (GetParam() == Codec::ProRes422HQ) EXPECT_EQ(out.format, (PixelFormat{Chroma::C422, 10}));
}

TEST(Render, WhereNoTagTurnsAPictureItsPixelsAre) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(4);
  settings.rotation = 90;
  const ClipInfo clip = probe(testing::makeFilm(folder / "in.mp4", settings));
  RenderJob job = jobFor(clip, folder / "a", Codec::Ffv1);
  job.correction.lens.reset();
  const WriteResult written = renderClip(job).written;
  EXPECT_NE(written.note.find("upright"), std::string::npos);
  const ClipInfo out = probe(written.path);
  EXPECT_EQ(out.width, clip.height);
  EXPECT_EQ(out.rotation, 0);
  EXPECT_TRUE(sameSamples(readFrame(out, 2), turnedFrame(readFrame(clip, 2), 90)));
  EXPECT_TRUE(renderClip(jobFor(clip, folder / "b", Codec::H264)).written.note.empty());
}

TEST(Render, LosslessOutputIsExactlyTheCorrectedFrames) {
  const testing::ScratchFolder folder;
  const ClipInfo clip = probe(testing::makeFilm(folder / "in.mp4", testing::smallFilm(6)));
  const RenderJob job = jobFor(clip, folder / "out", Codec::Ffv1);
  renderClip(job);
  const ClipInfo out = probe(job.place.path);
  const Geometry geometry(job.correction, {clip.width, clip.height});
  for (const int64_t i : {0, 3, 5}) {
    const Frame expected = correctFrame(readFrame(clip, i), geometry, clip.format);
    EXPECT_TRUE(sameSamples(expected, readFrame(out, i))) << i;
  }
}

TEST(Render, VaryingRateKeepsEveryTimeStamp) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(24);
  settings.dropped = {2, 9, 10, 11};
  const ClipInfo clip = probe(testing::makeFilm(folder / "in.mp4", settings));
  const RenderJob job = jobFor(clip, folder / "out", Codec::H264);
  renderClip(job);
  const ClipInfo out = probe(job.place.path);
  ClipReader a(clip), b(out);
  while (auto frame = a.next()) {
    const auto other = b.next();
    ASSERT_TRUE(other);
    EXPECT_NEAR(static_cast<double>(frame->pts) * clip.time_base.value(),
                static_cast<double>(other->pts) * out.time_base.value(), 1e-3);
  }
  EXPECT_FALSE(b.next());
}

TEST(Render, InAndOutPointsCutPictureAndSound) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(45);
  settings.timecode = "01:02:03:25";
  const ClipInfo clip = probe(testing::makeFilm(folder / "in.mp4", settings));
  RenderJob job = jobFor(clip, folder / "out", Codec::H264);
  job.range = FrameRange{10, 25};
  renderClip(job);
  const ClipInfo out = probe(job.place.path);
  EXPECT_EQ(out.frames, 15);
  EXPECT_NEAR(out.duration_s, 0.5, 0.05);
  EXPECT_EQ(out.sound.size(), 1U);
  // Ten frames on at 30 frames a second.
  EXPECT_EQ(out.timecode, "01:02:04:05");
}

TEST(Render, StillsOfATurnedClipComeOutUpright) {
  const testing::ScratchFolder folder;
  auto settings = testing::smallFilm(2);
  settings.rotation = 90;
  const ClipInfo clip = probe(testing::makeFilm(folder / "in.mp4", settings));
  ASSERT_EQ(clip.rotation, 90);
  const RenderJob job = jobFor(clip, folder / "out", Codec::Png);
  renderClip(job);
  const ClipInfo out = probe(listFootage(job.place.path).at(0));
  EXPECT_EQ(out.width, clip.height);
  EXPECT_EQ(out.height, clip.width);
}

TEST(Render, SoundAsPcmOrNone) {
  const testing::ScratchFolder folder;
  const ClipInfo clip = probe(testing::makeFilm(folder / "in.mp4", testing::smallFilm(20)));
  RenderJob job = jobFor(clip, folder / "pcm", Codec::H264);
  job.encode.sound = Sound::Pcm;
  job.place.path = (folder / "pcm").string() + outputEnding(clip, job.encode);
  renderClip(job);
  EXPECT_EQ(job.place.path.extension(), ".mov");
  EXPECT_EQ(probe(job.place.path).sound.at(0).codec, "pcm_s24le");
  job.encode.sound = Sound::None;
  job.place.path = folder / "none.mp4";
  renderClip(job);
  EXPECT_TRUE(probe(job.place.path).sound.empty());
}

TEST(Render, StillsAndSequencesInAndOut) {
  const testing::ScratchFolder folder;
  const ClipInfo film = probe(testing::makeFilm(folder / "in.mp4", testing::smallFilm(9)));
  for (const Codec codec : {Codec::Png, Codec::Tiff, Codec::Jpeg}) {
    RenderJob job = jobFor(film, folder / codecName(codec), codec);
    renderClip(job);
    ASSERT_TRUE(std::filesystem::is_directory(job.place.path));
    const auto found = listFootage(job.place.path);
    ASSERT_EQ(found.size(), 1U) << codecName(codec);
    const ClipInfo sequence = probe(found[0]);
    EXPECT_EQ(sequence.kind, ClipKind::Sequence);
    EXPECT_EQ(sequence.frames, 9);
    EXPECT_EQ(sequence.width, 320);
    // And the sequence as input again.
    RenderJob back = jobFor(sequence, folder / ("back-" + codecName(codec)), Codec::Ffv1);
    EXPECT_EQ(renderClip(back).written.frames, 9);
    const ClipInfo still = probe(sequenceFile(found[0], 1));
    EXPECT_EQ(still.kind, ClipKind::Still);
    RenderJob one = jobFor(still, folder / ("one-" + codecName(codec)), codec);
    EXPECT_EQ(renderClip(one).written.frames, 1);
    EXPECT_TRUE(std::filesystem::is_regular_file(one.place.path));
  }
}

TEST(Render, RgbStillsPassThroughWithoutLoss) {
  const testing::ScratchFolder folder;
  const ClipInfo film = probe(testing::makeFilm(folder / "in.mp4", testing::smallFilm(9)));
  RenderJob job = jobFor(film, folder / "a", Codec::Png);
  job.correction.lens.reset();
  renderClip(job);
  const ClipInfo first = probe(listFootage(job.place.path)[0]);
  RenderJob again = jobFor(first, folder / "b", Codec::Png);
  again.correction.lens.reset();
  renderClip(again);
  const ClipInfo second = probe(listFootage(again.place.path)[0]);
  EXPECT_EQ(readFrame(first, 4).colour.matrix, 0);
  EXPECT_TRUE(sameSamples(readFrame(first, 4), readFrame(second, 4)));
}

TEST(Render, ExistingOutputIsNeverReplacedUnasked) {
  const testing::ScratchFolder folder;
  const ClipInfo clip = probe(testing::makeFilm(folder / "in.mp4", testing::smallFilm(5)));
  RenderJob job = jobFor(clip, folder / "out", Codec::H264);
  writeFileAtomically(job.place.path, "precious");
  EXPECT_THROW(renderClip(job), Error);
  EXPECT_EQ(readFile(job.place.path), "precious");
  job.place.existing = Existing::ReplaceFile;
  renderClip(job);
  EXPECT_EQ(probe(job.place.path).frames, 5);
}

TEST(Render, StoppingLeavesNothingBehind) {
  const testing::ScratchFolder folder;
  const ClipInfo clip = probe(testing::makeFilm(folder / "in.mp4", testing::smallFilm(30)));
  std::filesystem::create_directory(folder / "out");
  const RenderJob job = jobFor(clip, folder / "out" / "clip", Codec::Ffv1);
  std::stop_source stop;
  Progress progress;
  progress.stop = stop.get_token();
  progress.report = [&](double share) {
    if (share > 0.3) stop.request_stop();
  };
  try {
    renderClip(job, progress);
    FAIL() << "went on";
  } catch (const Error& error) {
    EXPECT_EQ(error.kind(), ErrorKind::Cancelled);
  }
  EXPECT_TRUE(std::filesystem::is_empty(folder / "out"));
}

TEST(Render, ReadOnlyFolderIsSaid) {
  if (::geteuid() == 0) GTEST_SKIP() << "root may write anywhere";
  const testing::ScratchFolder folder;
  const ClipInfo clip = probe(testing::makeFilm(folder / "in.mp4", testing::smallFilm(5)));
  std::filesystem::create_directory(folder / "out");
  std::filesystem::permissions(folder / "out",
                               std::filesystem::perms::owner_read | std::filesystem::perms::owner_exec);
  EXPECT_THROW(renderClip(jobFor(clip, folder / "out" / "clip", Codec::H264)), Error);
}

}  // namespace
}  // namespace glenhaze
