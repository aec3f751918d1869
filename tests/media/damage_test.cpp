// Clips of which only a part can be read.

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <iterator>
#include <vector>

#include "core/base/error.h"
#include "core/media/detail/ffmpeg.h"
#include "core/pipeline/render.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

namespace fs = std::filesystem;

// Overwrites what frames first..last hold.
void spoil(const fs::path& path, int first, int last) {
  const auto input = detail::openInput(path);
  const int video = detail::findVideo(*input);
  auto packet = detail::makePacket();
  std::fstream file(path, std::ios::in | std::ios::out | std::ios::binary);
  for (int i = 0; av_read_frame(input.get(), packet.get()) >= 0;) {
    if (packet->stream_index == video) {
      if (i >= first && i <= last) {
        file.seekp(packet->pos);
        const std::vector<char> nothing(static_cast<size_t>(packet->size), 0);
        file.write(nothing.data(), packet->size);
      }
      ++i;
    }
    av_packet_unref(packet.get());
  }
}

fs::path stillFrames(const testing::ScratchFolder& folder, const std::string& codec) {
  return testing::makeWithFfmpeg(folder / "in.mov",
                                 "-f lavfi -i testsrc2=size=192x112:rate=25:duration=1.2 -f lavfi -i "
                                 "sine=duration=1.2 -c:a aac " +
                                     codec);
}

std::vector<Frame> allOf(ClipReader& reader) {
  std::vector<Frame> frames;
  while (auto frame = reader.next()) frames.push_back(std::move(*frame));
  return frames;
}

RenderJob jobFor(const ClipInfo& clip, const fs::path& out, Damage damage) {
  RenderJob job;
  job.clip = clip;
  job.damage = damage;
  job.encode.codec = Codec::Ffv1;
  job.place.path = out.string() + outputEnding(clip, job.encode);
  return job;
}

TEST(Damage, TheLastGoodFrameStandsInForAGap) {
  const testing::ScratchFolder folder;
  const auto path = stillFrames(folder, "-c:v mjpeg -pix_fmt yuvj420p");
  ClipReader whole(probe(path));
  const std::vector<Frame> expected = allOf(whole);
  ASSERT_EQ(expected.size(), 30U);
  // Copies: the decoder's own buffers belong to the file that is spoilt now.
  spoil(path, 10, 12);
  const ClipInfo clip = probe(path);
  ClipReader reader(clip, {0, Fields::Keep, Damage::Hold});
  const std::vector<Frame> frames = allOf(reader);
  ASSERT_EQ(frames.size(), 30U);
  for (size_t i = 0; i < frames.size(); ++i) {
    EXPECT_EQ(frames[i].index, static_cast<int64_t>(i));
    EXPECT_EQ(frames[i].pts, clip.stampAt(static_cast<int64_t>(i)));
    EXPECT_TRUE(sameSamples(frames[i], expected[i >= 10 && i <= 12 ? 9 : i])) << i;
  }
  EXPECT_EQ(reader.held().count, 3);
  EXPECT_EQ(reader.held().first, 10);
}

TEST(Damage, AtTheStartTheFirstGoodFrameStandsIn) {
  const testing::ScratchFolder folder;
  const auto path = stillFrames(folder, "-c:v mjpeg -pix_fmt yuvj420p");
  spoil(path, 0, 1);
  ClipReader reader(probe(path), {0, Fields::Keep, Damage::Hold});
  const std::vector<Frame> frames = allOf(reader);
  ASSERT_EQ(frames.size(), 30U);
  EXPECT_TRUE(sameSamples(frames[0], frames[2]));
  EXPECT_FALSE(sameSamples(frames[2], frames[3]));
  EXPECT_EQ(reader.held().count, 2);
}

TEST(Damage, AJumpIntoTheGapHoldsToo) {
  const testing::ScratchFolder folder;
  const auto path = stillFrames(folder, "-c:v mjpeg -pix_fmt yuvj420p");
  spoil(path, 10, 12);
  ClipReader reader(probe(path), {0, Fields::Keep, Damage::Hold});
  reader.seek(11);
  for (int64_t i = 11; i < 16; ++i) {
    const auto frame = reader.next();
    ASSERT_TRUE(frame);
    EXPECT_EQ(frame->index, i);
  }
}

class DamagedCodec : public ::testing::TestWithParam<const char*> {};
INSTANTIATE_TEST_SUITE_P(Damage, DamagedCodec,
                         ::testing::Values("-c:v mjpeg -pix_fmt yuvj420p",
                                           "-c:v libx264 -bf 2 -g 12 -pix_fmt yuv420p", "-c:v prores_ks"));

TEST_P(DamagedCodec, IsRefusedUnlessWhatIsReadableIsAskedFor) {
  const testing::ScratchFolder folder;
  const auto path = stillFrames(folder, GetParam());
  spoil(path, 13, 14);
  const ClipInfo clip = probe(path);
  EXPECT_THROW(renderClip(jobFor(clip, folder / "out", Damage::PassOver)), Error);
  EXPECT_FALSE(fs::exists(folder / "out.mkv"));
  const RenderResult result = renderClip(jobFor(clip, folder / "out", Damage::Hold));
  EXPECT_GE(result.held.count, 1);
  const ClipInfo out = probe(result.written.path);
  EXPECT_EQ(out.frames, 30);
  EXPECT_NEAR(out.duration_s, clip.duration_s, 0.04);
}

TEST(Damage, OfACutOffFileWhatIsThereCanBeHad) {
  const testing::ScratchFolder folder;
  const auto path = testing::makeWithFfmpeg(
      folder / "in.mp4",
      "-f lavfi -i testsrc2=size=192x112:rate=25:duration=4 -c:v libx264 -g 12 -pix_fmt "
      "yuv420p -movflags faststart");
  fs::resize_file(path, fs::file_size(path) * 2 / 3);
  const ClipInfo clip = probe(path);
  ASSERT_FALSE(clip.readable());
  ASSERT_TRUE(clip.readable(Damage::Hold));
  const RenderResult result = renderClip(jobFor(clip, folder / "out", Damage::Hold));
  EXPECT_EQ(probe(result.written.path).frames, clip.frames);
  EXPECT_GT(clip.frames, 40);
  EXPECT_LT(clip.frames, 90);
}

// Two streams one behind the other, as a camera that was switched over writes them.
fs::path twoSizes(const testing::ScratchFolder& folder) {
  const std::string codec = " -c:v libx264 -bf 2 -g 12 -pix_fmt yuv420p -c:a aac ";
  const auto a = testing::makeWithFfmpeg(
      folder / "a.ts",
      "-f lavfi -i testsrc2=size=192x112:rate=25:duration=1 -f lavfi -i sine=duration=1" + codec);
  const auto b = testing::makeWithFfmpeg(folder / "b.ts",
                                         "-f lavfi -i testsrc2=size=320x192:rate=25:duration=1 -f lavfi -i "
                                         "sine=duration=1" +
                                             codec + "-output_ts_offset 1");
  std::ofstream both(folder / "both.ts", std::ios::binary);
  for (const auto& part : {a, b}) both << std::ifstream(part, std::ios::binary).rdbuf();
  return folder / "both.ts";
}

TEST(Damage, AChangeOfSizeEndsTheClipAndIsSaid) {
  const testing::ScratchFolder folder;
  const ClipInfo clip = probe(twoSizes(folder));
  ASSERT_EQ(clip.frames, 50);
  for (const Damage damage : {Damage::PassOver, Damage::Hold}) {
    const RenderResult result =
        renderClip(jobFor(clip, folder / (damage == Damage::Hold ? "held" : "out"), damage));
    ASSERT_TRUE(result.size_change);
    EXPECT_EQ(result.size_change->index, 25);
    EXPECT_EQ(result.size_change->to, (PictureSize{320, 192}));
    const ClipInfo out = probe(result.written.path);
    EXPECT_EQ(out.frames, 25);
    EXPECT_EQ(out.width, 192);
    // The sound does not go on without its picture (but for what was written ahead).
    EXPECT_LT(out.duration_s, 1.6);
  }
}

TEST(Damage, BehindAChangeOfSizeNothingIsDelivered) {
  const testing::ScratchFolder folder;
  const ClipInfo clip = probe(twoSizes(folder));
  for (const Fields fields : {Fields::Keep, Fields::Deinterlace}) {
    ClipReader reader(clip, {0, fields});
    reader.seek(40);
    EXPECT_FALSE(reader.next());
    reader.seek(10);
    const auto frame = reader.next();
    ASSERT_TRUE(frame);
    EXPECT_EQ(frame->index, 10);
    EXPECT_EQ(frame->width, 192);
  }
  RenderJob job = jobFor(clip, folder / "out", Damage::PassOver);
  job.range = FrameRange{30, 45};
  EXPECT_THROW(renderClip(job), Error);
}

}  // namespace
}  // namespace glenhaze
