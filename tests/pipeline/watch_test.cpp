#include "core/pipeline/watch.h"

#include <gtest/gtest.h>

#include "core/media/reader.h"
#include "core/pipeline/render.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

TEST(RenderWatch, SeesWhereTheTimeGoesAndAFrame) {
  const testing::ScratchFolder folder;
  testing::makeFilm(folder / "a.mp4", testing::smallFilm(6));
  RenderJob job;
  job.clip = probe(folder / "a.mp4");
  job.correction.lens = testing::testLens(LensModel::BrownConrady);
  job.encode.codec = Codec::Ffv1;
  job.place.path = folder / "out.mkv";
  RenderWatch watch;
  EXPECT_EQ(watch.sight(), nullptr);
  renderClip(job, {}, &watch);
  const auto seconds = watch.seconds();
  for (const auto stage : {RenderWatch::Read, RenderWatch::Place, RenderWatch::Encode})
    EXPECT_GT(seconds[stage], 0) << stage;
  // What is not done takes nothing.
  EXPECT_EQ(seconds[RenderWatch::Clean], 0);
  EXPECT_EQ(seconds[RenderWatch::Finish], 0);
  ASSERT_NE(watch.sight(), nullptr);
  EXPECT_EQ(watch.sight()->width, 320);
}

TEST(RenderWatch, LargeFramesAreSeenSmall) {
  RenderWatch watch;
  watch.pass(makeFrame(1920, 1080, {Chroma::C420, 8}));
  ASSERT_NE(watch.sight(), nullptr);
  EXPECT_EQ(watch.sight()->width, 480);
  EXPECT_EQ(watch.sight()->height, 270);
  // The next one within the same second is let go.
  const auto before = watch.sight();
  watch.pass(makeFrame(1920, 1080, {Chroma::C420, 8}));
  EXPECT_EQ(watch.sight(), before);
}

}  // namespace
}  // namespace glenhaze
