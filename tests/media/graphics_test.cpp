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

}  // namespace
}  // namespace glenhaze
