// Before and after in one picture.
#include "core/run/show.h"

#include <gtest/gtest.h>

#include "core/base/error.h"
#include "core/frame/caption.h"
#include "core/media/reader.h"
#include "tests/support/footage.h"
#include "tests/support/profiles.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;

Frame flat(int value, PixelFormat format = {Chroma::C420, 8}) {
  return testing::paint(320, 180, format, [&](int, int) { return value; });
}

// Share of luma samples that are nearer to `a` than to `b`.
double shareOf(const Frame& frame, int a, int b) {
  int count = 0;
  for (int y = 0; y < frame.height; ++y)
    for (int x = 0; x < frame.width; ++x) {
      const int v = frame.planes[0].at(x, y, frame.format.bytesPerSample());
      count += std::abs(v - a) < std::abs(v - b) ? 1 : 0;
    }
  return static_cast<double>(count) / (frame.width * frame.height);
}

TEST(Shown, TheDividerGoesToAndFro) {
  const Frame before = flat(60), after = flat(180);
  EXPECT_NEAR(shareOf(shownTogether(before, after, ShowKind::Divider, 0), 60, 180), 0.5, 0.02);
  // A quarter of a round on it stands at its farthest, then comes back.
  EXPECT_NEAR(shareOf(shownTogether(before, after, ShowKind::Divider, 1.5), 60, 180), 0.82, 0.02);
  EXPECT_NEAR(shareOf(shownTogether(before, after, ShowKind::Divider, 4.5), 60, 180), 0.18, 0.02);
  const Frame mid = shownTogether(before, after, ShowKind::Divider, 0);
  EXPECT_EQ(mid.planes[0].at(10, 90, 1), 60) << "before at the left";
  EXPECT_EQ(mid.planes[0].at(310, 90, 1), 180);
  EXPECT_EQ(mid.planes[0].at(160, 90, 1), 235) << "a white line between";
  // Deep pictures too.
  const Frame deep =
      shownTogether(flat(240, {Chroma::C422, 10}), flat(720, {Chroma::C422, 10}), ShowKind::Divider, 0);
  EXPECT_EQ(deep.planes[0].at(10, 90, 2), 240);
  EXPECT_EQ(deep.planes[0].at(160, 90, 2), std::lround(1023 * 235 / 255.0));
}

TEST(Shown, SideBySideBothAreWhole) {
  const auto gradient = [](int offset) {
    return testing::paint(320, 180, {Chroma::C420, 8}, [=](int x, int) { return 40 + x / 4 + offset; });
  };
  const Frame out = shownTogether(gradient(0), gradient(60), ShowKind::Beside, 3);
  EXPECT_EQ(out.planes[0].at(5, 5, 1), 16) << "black above";
  EXPECT_NEAR(out.planes[0].at(2, 90, 1), 41, 1);
  EXPECT_NEAR(out.planes[0].at(157, 90, 1), 118, 1) << "its right edge in the middle of the picture";
  EXPECT_NEAR(out.planes[0].at(162, 90, 1), 101, 1);
  EXPECT_NEAR(out.planes[0].at(317, 90, 1), 178, 1);
}

TEST(Shown, TheCircleShowsBothTwiceAsLarge) {
  // Stripes four samples wide: inside the circle they are eight wide.
  const auto stripes = [](int low, int high) {
    return testing::paint(320, 180, {Chroma::C420, 8},
                          [=](int, int y) { return y / 4 % 2 == 0 ? low : high; });
  };
  const Frame out = shownTogether(stripes(40, 60), stripes(160, 200), ShowKind::Circle, 0);
  // At the start the circle's middle is at 78 % of the width, half way down.
  const int cx = 250, cy = 90;
  int changes_in = 0, changes_out = 0;
  for (int y = cy - 30; y < cy + 30; ++y) {
    changes_in += std::abs(out.planes[0].at(cx - 12, y, 1) - out.planes[0].at(cx - 12, y - 1, 1)) > 8 ? 1 : 0;
    changes_out += std::abs(out.planes[0].at(40, y, 1) - out.planes[0].at(40, y - 1, 1)) > 8 ? 1 : 0;
  }
  EXPECT_NEAR(changes_out, 15, 1);
  EXPECT_NEAR(changes_in, 7.5, 2);
  EXPECT_LT(out.planes[0].at(cx - 12, cy + 6, 1), 80) << "before in its left half";
  EXPECT_GT(out.planes[0].at(cx + 12, cy + 6, 1), 140);
  EXPECT_GT(out.planes[0].at(40, 20, 1), 140) << "outside the result";
}

TEST(Shown, CaptionsAreDrawnInsideTheirGroundOnly) {
  Frame frame = flat(120);
  const Caption caption("before – ½ 30°", 20);
  EXPECT_GT(caption.width(), 100);
  caption.draw(frame, 30, 40);
  int white = 0, changed = 0;
  for (int y = 0; y < frame.height; ++y)
    for (int x = 0; x < frame.width; ++x) {
      const int v = frame.planes[0].at(x, y, 1);
      white += v > 225 ? 1 : 0;
      if (v == 120) continue;
      ++changed;
      EXPECT_TRUE(x >= 30 && x < 30 + caption.width() && y >= 40 && y < 40 + caption.height())
          << x << " " << y;
    }
  EXPECT_GT(white, 150) << "letters";
  EXPECT_GT(changed, caption.width() * caption.height() * 9 / 10) << "their ground";
  // Partly and wholly outside, empty, and bytes that are no text.
  caption.draw(frame, -50, -5);
  caption.draw(frame, 5000, 5000);
  Caption("", 20).draw(frame, 0, 0);
  Caption("\xff\xfe\xc3", 20).draw(frame, 0, 100);
  EXPECT_THROW(Caption("x", 0), Error);
}

class Show : public ::testing::Test {
 protected:
  ClipPlan planned(const fs::path& clip) {
    Shoot shoot;
    shoot.output.folder = folder / "out";
    shoot.output.encode.codec = Codec::Ffv1;
    shoot.output.shutter_on = shoot.output.noise_on = shoot.output.stabilization_on = false;
    ShootClip one;
    one.path = clip;
    shoot.clips.push_back(one);
    Profile limpet = testing::limpetProfile();
    limpet.path = "limpet.glenhaze.json";
    const std::vector<ClipInfo> infos{probe(clip)};
    return planShoot(shoot, infos, std::span(&limpet, 1))[0];
  }
  testing::ScratchFolder folder;
  FactStore store;
};

TEST_F(Show, AFilmOfBothWithItsSound) {
  const fs::path clip = testing::makeFilm(folder / "a.mp4", testing::smallFilm(20));
  const ShowResult made = makeShow(planned(clip), {folder / "show.mkv", ShowKind::Divider, "", ""}, store);
  EXPECT_EQ(made.frames, 20);
  const ClipInfo shown = probe(folder / "show.mkv");
  ASSERT_EQ(shown.frames, 20);
  EXPECT_EQ(shown.sound.size(), 1U);
  const Frame frame = readFrame(shown, 0), source = readFrame(probe(clip), 0);
  for (int y = 10; y < 170; y += 7)
    for (int x = 5; x < 150; x += 7) ASSERT_EQ(frame.planes[0].at(x, y, 1), source.planes[0].at(x, y, 1));
  double differs = 0;
  for (int y = 10; y < 170; y += 7)
    for (int x = 180; x < 310; x += 7)
      differs += std::abs(frame.planes[0].at(x, y, 1) - source.planes[0].at(x, y, 1));
  EXPECT_GT(differs, 500) << "the right half is straightened";
  EXPECT_THROW(makeShow(planned(clip), {folder / "show.mkv"}, store), Error) << "it is there already";
  EXPECT_THROW(makeShow(planned(clip), {folder / "a.mp4", ShowKind::Divider, "", "", true}, store), Error)
      << "footage";
  EXPECT_THROW(makeShow(planned(clip), {folder / "show.xyz"}, store), Error);
}

TEST_F(Show, AStillOfATurnedClipIsUpright) {
  auto settings = testing::smallFilm(6);
  settings.rotation = 90;
  const fs::path clip = testing::makeFilm(folder / "a.mp4", settings);
  makeShow(planned(clip), {folder / "still.png", ShowKind::Beside}, store);
  const ClipInfo still = probe(folder / "still.png");
  EXPECT_EQ(still.kind, ClipKind::Still);
  EXPECT_EQ(still.width, 180);
  EXPECT_EQ(still.height, 320);
}

// Its sound would run away from pictures of even length; a still has none.
TEST_F(Show, AFilmOfAClipWithVaryingRateIsRefused) {
  const fs::path clip = testing::makeWithFfmpeg(
      folder / "a.mkv",
      "-f lavfi -i testsrc2=size=320x180:rate=30:duration=1 -vf \"setpts='(N+floor(N/5))/30/TB'\" -vsync vfr "
      "-pix_fmt yuv420p -c:v ffv1 -metadata make=Limpet -metadata model=A1");
  ASSERT_TRUE(probe(clip).variable_rate);
  try {
    makeShow(planned(clip), {folder / "show.mkv"}, store);
    FAIL() << "not refused";
  } catch (const Error& error) {
    EXPECT_EQ(error.kind(), ErrorKind::BadRequest);
    EXPECT_NE(error.why().find("varies"), std::string::npos);
  }
  EXPECT_FALSE(fs::exists(folder / "show.mkv"));
  makeShow(planned(clip), {folder / "still.png", ShowKind::Beside}, store);
  EXPECT_TRUE(fs::exists(folder / "still.png"));
}

}  // namespace
}  // namespace glenhaze
