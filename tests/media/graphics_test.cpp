// Encoding by a graphics card, of which here a stand-in takes the place: it works, or fails on purpose.
#include "core/media/graphics.h"

#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <fstream>

#include "core/base/files.h"
#include "core/media/reader.h"
#include "core/pipeline/render.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

class Graphics : public ::testing::Test {
 protected:
  void TearDown() override { unsetenv("GLENHAZE_GRAPHICS_STAND_IN"); }
  void standIn(const char* how) { setenv("GLENHAZE_GRAPHICS_STAND_IN", how, 1); }
  RenderResult render(Codec codec, const std::string& name, bool graphics = true) {
    RenderJob job;
    job.clip = probe(clip);
    job.encode.codec = codec;
    job.encode.graphics = graphics;
    job.place.path = folder / name;
    return renderClip(job, {}, nullptr);
  }
  // Frames that are there and near the source.
  void expectWhole(const std::string& name) {
    ClipReader source(probe(clip)), made(probe(folder / name));
    int frames = 0;
    while (const auto a = source.next()) {
      const auto b = made.next();
      ASSERT_TRUE(b) << "frame " << frames;
      double squares = 0;
      for (int y = 0; y < a->height; ++y)
        for (int x = 0; x < a->width; ++x) {
          const double d = double(a->planes[0].row<uint8_t>(y)[x]) - b->planes[0].row<uint8_t>(y)[x];
          squares += d * d;
        }
      EXPECT_LT(squares / (a->width * a->height), 25) << "frame " << frames;
      ++frames;
    }
    EXPECT_EQ(frames, 24);
    EXPECT_FALSE(made.next());
  }
  size_t filesThere() const {
    size_t n = 0;
    for (const auto& entry : std::filesystem::directory_iterator(folder.path())) n += entry.exists() ? 1 : 0;
    return n;
  }

  testing::ScratchFolder folder;
  std::filesystem::path clip = testing::makeFilm(folder / "a.mp4", testing::smallFilm(24));
};

TEST_F(Graphics, WhatWorksIsOfferedAndUsed) {
  standIn("works");
  const auto found = graphicsEncoder(Codec::H264, {});
  ASSERT_TRUE(found);
  EXPECT_EQ(found->words, "a stand-in");
  EXPECT_FALSE(graphicsEncoder(Codec::ProRes422HQ, {}));
  EXPECT_FALSE(graphicsEncoder(Codec::H264, {Chroma::C422, 10}))
      << "the processor takes what not all cards take";
  for (const Codec codec : {Codec::H264, Codec::H265}) {
    const RenderResult made = render(codec, codecName(codec) + ".mp4");
    EXPECT_EQ(made.written.note, "");
    expectWhole(codecName(codec) + ".mp4");
  }
  render(Codec::H264, "processor.mp4", false);
  EXPECT_NE(readFile(folder / "h264.mp4"), readFile(folder / "processor.mp4"));
}

// One that fails in the middle: every frame is there, by the processor, and the result says so.
TEST_F(Graphics, OneThatFailsOnTheWayLosesNoFrame) {
  standIn("11");
  ASSERT_TRUE(graphicsEncoder(Codec::H264, {})) << "it passes the trial";
  const size_t before = filesThere();
  const RenderResult made = render(Codec::H264, "made.mp4");
  EXPECT_THAT(made.written.note, ::testing::HasSubstr("after 11 frames"));
  EXPECT_THAT(made.written.note, ::testing::HasSubstr("the processor encoded all of it"));
  EXPECT_EQ(made.written.frames, 24);
  expectWhole("made.mp4");
  EXPECT_EQ(filesThere(), before + 1) << "nothing of the first try is left";
  unsetenv("GLENHAZE_GRAPHICS_STAND_IN");
  render(Codec::H264, "processor.mp4", false);
  EXPECT_TRUE(readFile(folder / "made.mp4") == readFile(folder / "processor.mp4"));
}

TEST_F(Graphics, OneThatFailsItsTrialIsNotUsed) {
  standIn("2");
  EXPECT_FALSE(graphicsEncoder(Codec::H264, {}));
  const RenderResult made = render(Codec::H264, "made.mp4");
  EXPECT_THAT(made.written.note, ::testing::HasSubstr("no graphics card here encodes this"));
  expectWhole("made.mp4");
}

// Decoding: every frame is the one that the processor gives, whenever the card fails.
class DecodingByCard : public ::testing::Test {
 protected:
  void TearDown() override { unsetenv("GLENHAZE_GRAPHICS_DECODER_STAND_IN"); }
  static GraphicsDecoder card(int fails_after) { return {"stand-in", "a stand-in", true, fails_after}; }
  // What a reader gives that goes here and there.
  static std::vector<Frame> looked(const ClipInfo& info, const ReadOptions& options, std::string& trouble) {
    ClipReader reader(info, options);
    std::vector<Frame> frames;
    const auto take = [&](int count) {
      for (int i = 0; i < count; ++i)
        if (auto frame = reader.next()) frames.push_back(*frame);
    };
    take(5);
    reader.seek(17);
    // Where the way there begins is the reader's own affair.
    if (const auto there = reader.landing()) EXPECT_LE(there->index, 17);
    take(3);
    if (const auto key = reader.keyFrame(17)) frames.push_back(*key);
    reader.seek(2);
    take(40);
    trouble = reader.cardTrouble();
    return frames;
  }
  testing::ScratchFolder folder;
};

TEST_F(DecodingByCard, OffersWhatGivesTheSameCodes) {
  setenv("GLENHAZE_GRAPHICS_DECODER_STAND_IN", "works", 1);
  const auto works = graphicsDecoders();
  ASSERT_EQ(works.size(), 1U);
  EXPECT_EQ(works[0].words, "a stand-in");
  EXPECT_TRUE(graphicsDecoderNamed("stand-in"));
  EXPECT_FALSE(graphicsDecoderNamed("lantern"));
  EXPECT_FALSE(graphicsDecoderNamed(""));
  setenv("GLENHAZE_GRAPHICS_DECODER_STAND_IN", "2", 1);
  EXPECT_TRUE(graphicsDecoders().empty()) << "one that fails the trial";
}

TEST_F(DecodingByCard, GivesTheSameFramesWheneverItFails) {
  const auto eight_bits = testing::makeFilm(folder / "a.mp4", testing::smallFilm(30));
  const auto ten_bits = testing::makeWithFfmpeg(
      folder / "b.mp4",
      "-i '" + eight_bits.string() + "' -vf scale=322:178 -pix_fmt yuv420p10le -c:v libx264 -g 9");
  const auto damaged = folder / "c.mp4";
  std::string bytes = readFile(eight_bits);
  for (size_t i = bytes.size() / 2; i < bytes.size() / 2 + 400; ++i)
    bytes[i] = static_cast<char>(bytes[i] ^ 0x5a);
  std::ofstream(damaged, std::ios::binary) << bytes;
  for (const std::filesystem::path& path : {eight_bits, ten_bits, std::filesystem::path(damaged)})
    for (const Fields fields : {Fields::Keep, Fields::Deinterlace})
      for (const Damage damage : {Damage::PassOver, Damage::Hold}) {
        const ClipInfo info = probe(path);
        const ReadOptions options{0, fields, damage};
        std::string trouble;
        const std::vector<Frame> wanted = looked(info, options, trouble);
        EXPECT_EQ(trouble, "");
        for (const int fails_after : {-1, 0, 3, 5, 6, 20, 33}) {
          const GraphicsDecoding decoding(card(fails_after));
          const std::vector<Frame> given = looked(info, options, trouble);
          if (path != damaged) EXPECT_EQ(trouble.empty(), fails_after < 0) << trouble;
          ASSERT_EQ(given.size(), wanted.size()) << "fails after " << fails_after;
          for (size_t i = 0; i < wanted.size(); ++i) {
            EXPECT_EQ(given[i].index, wanted[i].index) << "fails after " << fails_after;
            EXPECT_EQ(given[i].pts, wanted[i].pts);
            // What damage looks like hangs on what was decoded before.
            if (path != damaged)
              EXPECT_TRUE(sameSamples(given[i], wanted[i])) << i << ", fails after " << fails_after;
          }
        }
      }
  EXPECT_FALSE(decodingCard()) << "only as long as it was said";
}

TEST_F(DecodingByCard, ARenderLosesNoFrameAndSaysSo) {
  RenderJob job;
  job.clip = probe(testing::makeFilm(folder / "a.mp4", testing::smallFilm(24)));
  job.encode.codec = Codec::Ffv1;
  const auto rendered = [&](const char* name) {
    job.place.path = folder / name;
    return renderClip(job).written;
  };
  EXPECT_EQ(rendered("processor.mkv").note, "");
  {
    const GraphicsDecoding decoding(card(-1));
    EXPECT_EQ(rendered("card.mkv").note, "");
  }
  const GraphicsDecoding decoding(card(11));
  const WriteResult made = rendered("failed.mkv");
  EXPECT_EQ(made.frames, 24);
  EXPECT_THAT(made.note, ::testing::HasSubstr("the graphics card stopped decoding"));
  EXPECT_EQ(readFile(folder / "processor.mkv"), readFile(folder / "failed.mkv"));
  EXPECT_EQ(readFile(folder / "processor.mkv"), readFile(folder / "card.mkv"));
}

}  // namespace
}  // namespace glenhaze
