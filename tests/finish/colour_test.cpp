// Colour against closed forms, and a look against FFmpeg's own interpolation.
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <fstream>
#include <random>

#include "core/base/error.h"
#include "core/finish/finisher.h"
#include "core/frame/tone.h"
#include "core/media/reader.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

TEST(Tone, EachCurveIsItsOwnInverseAndMeetsItsStandard) {
  for (const int transfer : {1, 2, 8, 13, 16, 18}) {
    const ToneCurve tone = toneCurveOf(transfer);
    for (double v = 0; v <= 1; v += 0.01) EXPECT_NEAR(tone.toCode(tone.toLight(v)), v, 1e-6) << transfer;
  }
  // ITU-R BT.709-6, item 1.2: the linear part ends at 0.018 with 0.081, as far as its rounded constants meet.
  EXPECT_NEAR(toneCurveOf(1).toCode(0.018), 0.081, 3e-4);
  // ITU-R BT.2100-2: half of the signal is a twelfth of the hybrid log-gamma's light; 0.508 is 100 cd/m² in
  // the other.
  EXPECT_NEAR(toneCurveOf(18).toLight(0.5), 1.0 / 12, 1e-6);
  EXPECT_NEAR(toneCurveOf(16).toCode(0.01), 0.508, 1e-3);
}

// One colour all over, in codes of 10 bits.
Frame plain(int y, int cb, int cr, Chroma chroma = Chroma::C420) {
  Frame frame = testing::paint(64, 48, {chroma, 10}, [&](int, int) { return y; });
  for (size_t p : {1U, 2U})
    for (int row = 0; row < frame.planes[p].height; ++row)
      std::fill_n(frame.planes[p].row<uint16_t>(row), frame.planes[p].width,
                  static_cast<uint16_t>(p == 1 ? cb : cr));
  return frame;
}

Frame graded(const Frame& frame, const FinishSettings& s) {
  return Finisher({}, s).finish(frame, frame.format);
}

int at(const Frame& frame, size_t plane) { return frame.planes[plane].at(20, 10, 2); }

int codeOf(double v) { return static_cast<int>(std::lround(4 * (16 + 219 * v))); }

TEST(Colour, AStopDoublesTheLight) {
  const ToneCurve tone = toneCurveOf(1);
  FinishSettings s;
  s.exposure = 1;
  for (const double light : {0.01, 0.05, 0.18, 0.4}) {
    const Frame out = graded(plain(codeOf(tone.toCode(light)), 512, 512), s);
    EXPECT_NEAR(at(out, 0), codeOf(tone.toCode(2 * light)), 2) << light;
    EXPECT_NEAR(at(out, 1), 512, 1);
    EXPECT_NEAR(at(out, 2), 512, 1);
  }
}

TEST(Colour, ContrastTurnsAboutMiddleGrey) {
  const ToneCurve tone = toneCurveOf(1);
  FinishSettings s;
  s.contrast = 1.5;
  EXPECT_NEAR(at(graded(plain(codeOf(tone.toCode(0.18)), 512, 512), s), 0), codeOf(tone.toCode(0.18)), 2);
  // A stop above it becomes one and a half.
  EXPECT_NEAR(at(graded(plain(codeOf(tone.toCode(0.36)), 512, 512), s), 0),
              codeOf(tone.toCode(0.18 * std::exp2(1.5))), 2);
}

TEST(Colour, WarmthKeepsTheLumaOfGreyAndItsDirection) {
  const int grey = codeOf(0.5);
  FinishSettings s;
  s.warmth = 0.5;
  const Frame warm = graded(plain(grey, 512, 512), s);
  EXPECT_GT(at(warm, 2), 520);  // more red
  EXPECT_LT(at(warm, 1), 504);  // less blue
  EXPECT_NEAR(at(warm, 0), grey, 12);
  s = {};
  s.tint = 0.4;
  const Frame green = graded(plain(grey, 512, 512), s);
  EXPECT_LT(at(green, 1), 506);
  EXPECT_LT(at(green, 2), 506);
}

TEST(Colour, SaturationScalesChromaAlone) {
  FinishSettings s;
  s.saturation = 0.5;
  const Frame half = graded(plain(500, 600, 420), s);
  EXPECT_NEAR(at(half, 0), 500, 1);
  EXPECT_NEAR(at(half, 1), 512 + 44, 1);
  EXPECT_NEAR(at(half, 2), 512 - 46, 1);
  s.saturation = 0;
  const Frame none = graded(plain(500, 600, 420), s);
  EXPECT_NEAR(at(none, 1), 512, 1);
  EXPECT_NEAR(at(none, 2), 512, 1);
}

TEST(Colour, BlackAndWhitePointsAreMetExactly) {
  FinishSettings s;
  s.black = 0.1;
  s.white = 0.8;
  EXPECT_NEAR(at(graded(plain(codeOf(0.1), 512, 512), s), 0), codeOf(0), 1);
  EXPECT_NEAR(at(graded(plain(codeOf(0.8), 512, 512), s), 0), codeOf(1), 1);
}

TEST(Colour, DefaultsLeaveEveryCode) {
  std::mt19937 random(3);
  const Frame frame = testing::paint(64, 48, {Chroma::C420, 8},
                                     [&](int, int) { return static_cast<int>(16 + random() % 220); });
  FinishSettings s;
  s.crisp = 0;
  EXPECT_FALSE(Finisher({}, s).changes(frame));
  EXPECT_FALSE(s.setsColour());
}

// 8 bits out of 12: a smooth ramp keeps its mean between codes.
TEST(Colour, EightBitsAreDithered) {
  FinishSettings s;
  s.exposure = 0.01;
  const Frame out = Finisher({}, s).finish(plain(codeOf(0.5), 512, 512), {Chroma::C420, 8});
  const ToneCurve tone = toneCurveOf(1);
  const double wanted =
      16 + 219 * tone.toCode(tone.toLight((codeOf(0.5) / 4.0 - 16) / 219) * std::exp2(0.01));
  double sum = 0;
  for (int y = 0; y < 48; ++y)
    for (int x = 0; x < 64; ++x) sum += out.planes[0].at(x, y, 1);
  EXPECT_GT(std::abs(wanted - std::round(wanted)), 0.05) << "the wanted code is whole: nothing was tested";
  EXPECT_NEAR(sum / (64 * 48), wanted, 0.05);
}

std::filesystem::path writeLook(const testing::ScratchFolder& folder) {
  const auto path = folder / "look.cube";
  std::ofstream out(path);
  constexpr int kSize = 9;
  out << "TITLE \"made up\"\nLUT_3D_SIZE " << kSize << "\n";
  for (int b = 0; b < kSize; ++b)
    for (int g = 0; g < kSize; ++g)
      for (int r = 0; r < kSize; ++r) {
        const double x = r / 8.0, y = g / 8.0, z = b / 8.0;
        out << std::pow(x, 0.8) * 0.9 + 0.05 * z << " " << y * y * 0.7 + 0.25 * x << " "
            << 0.1 + 0.8 * z * (1 - 0.3 * y) << "\n";
      }
  return path;
}

// FFmpeg's lut3d by tetrahedra, on R′G′B′ of the same colours: within a code of ten bits.
TEST(Look, IsFfmpegsByTetrahedra) {
  const testing::ScratchFolder folder;
  const auto look = writeLook(folder);
  const auto source = testing::makeWithFfmpeg(
      folder / "in.mkv", "-f lavfi -i testsrc2=s=96x64:r=5:d=0.2 -pix_fmt gbrp10le -c:v ffv1");
  const auto ours_in = [&](const std::string& name, const std::string& filter) {
    return testing::makeWithFfmpeg(folder / name, "-i " + source.string() + " -vf " + filter + " -c:v ffv1");
  };
  const auto theirs = ours_in("theirs.mkv", "lut3d=file=" + look.string() + ":interp=tetrahedral");
  ClipReader reader_in(probe(source)), reader_out(probe(theirs));
  const Frame in = *reader_in.next(), out = *reader_out.next();
  const LookTable table(look);
  int worst = 0;
  for (int y = 0; y < 64; ++y)
    for (int x = 0; x < 96; ++x) {
      // Planes of such a picture are G, B, R.
      float rgb[3] = {static_cast<float>(in.planes[2].at(x, y, 2)) / 1023,
                      static_cast<float>(in.planes[0].at(x, y, 2)) / 1023,
                      static_cast<float>(in.planes[1].at(x, y, 2)) / 1023};
      table.apply(rgb, rgb + 1, rgb + 2, 1);
      const int theirs_rgb[3] = {out.planes[2].at(x, y, 2), out.planes[0].at(x, y, 2),
                                 out.planes[1].at(x, y, 2)};
      for (int p = 0; p < 3; ++p)
        worst = std::max(
            worst,
            std::abs(static_cast<int>(std::lround(std::clamp(rgb[p], 0.0F, 1.0F) * 1023)) - theirs_rgb[p]));
    }
  EXPECT_LE(worst, 1);
}

// Rows of any length, places beyond the table, and a scale of its own.
TEST(Look, IsTheSameForARowAndForEachPlaceAlone) {
  const testing::ScratchFolder folder;
  const LookTable table(writeLook(folder));
  std::minstd_rand random(3);
  std::uniform_real_distribution<float> place(-0.1F, 1.1F);
  constexpr int kCount = 37;
  std::array<std::vector<float>, 3> row;
  for (auto& plane : row)
    for (int x = 0; x < kCount; ++x) plane.push_back(place(random));
  const auto before = row;
  table.apply(row[0].data(), row[1].data(), row[2].data(), kCount);
  for (size_t x = 0; x < kCount; ++x) {
    std::array<float, 3> alone{}, held{}, scaled{};
    for (size_t p = 0; p < 3; ++p) {
      alone[p] = before[p][x];
      held[p] = std::clamp(before[p][x], 0.0F, 1.0F);
      scaled[p] = (before[p][x] + 0.25F) * 8;
    }
    table.apply(alone.data(), &alone[1], &alone[2], 1);
    table.apply(held.data(), &held[1], &held[2], 1);
    table.apply(scaled.data(), &scaled[1], &scaled[2], 1, 0.125F, -0.25F);
    for (size_t p = 0; p < 3; ++p) {
      EXPECT_EQ(row[p][x], alone[p]);
      EXPECT_EQ(row[p][x], held[p]);
      EXPECT_NEAR(scaled[p] / 8 - 0.25F, row[p][x], 1e-5);
    }
  }
}

// One curve for each of red, green and blue; and a table behind such curves.
TEST(Look, CurvesInAFileHold) {
  const testing::ScratchFolder folder;
  constexpr int kSize = 17;
  std::ofstream curves(folder / "curves.cube"), both(folder / "both.cube");
  curves << "LUT_1D_SIZE " << kSize << "\n";
  both << "LUT_1D_SIZE " << kSize << "\nLUT_3D_SIZE 2\n";
  for (int i = 0; i < kSize; ++i) {
    const double v = i / (kSize - 1.0);
    for (std::ofstream* out : {&curves, &both}) *out << v / 2 << " " << 1 - v << " " << v << "\n";
  }
  // Red and green change places.
  for (int i = 0; i < 8; ++i) both << (i >> 1 & 1) << " " << (i & 1) << " " << (i >> 2 & 1) << "\n";
  curves.close();
  both.close();
  for (const bool swapped : {false, true}) {
    float r = 0.4F, g = 0.3F, b = 0.7F;
    LookTable(folder / (swapped ? "both.cube" : "curves.cube")).apply(&r, &g, &b, 1);
    EXPECT_NEAR(swapped ? g : r, 0.2, 1e-4);
    EXPECT_NEAR(swapped ? r : g, 0.7, 1e-4);
    EXPECT_NEAR(b, 0.7, 1e-4);
  }
}

TEST(Look, OneThatCannotBeReadIsSaid) {
  const testing::ScratchFolder folder;
  std::ofstream(folder / "bad.cube") << "LUT_3D_SIZE two\n";
  FinishSettings s;
  for (const char* name : {"bad.cube", "none.cube"}) {
    s.lut = folder / name;
    try {
      Finisher({}, s);
      ADD_FAILURE() << name;
    } catch (const Error& error) {
      EXPECT_EQ(error.kind(), ErrorKind::Unreadable);
      EXPECT_NE(error.where().find(name), std::string::npos);
    }
  }
}

TEST(Colour, ItsStrengthHangsOnTheLuma) {
  FinishSettings s;
  s.colour_dark = 0;
  s.colour_bright = 0.5;
  const auto strength = [&](double luma) {
    return (at(graded(plain(codeOf(luma), 560, 500), s), 1) - 512) / 48.0;
  };
  EXPECT_NEAR(strength(0.02), 0, 0.05);
  EXPECT_NEAR(strength(0.5), 1, 0.05);
  EXPECT_NEAR(strength(0.97), 0.5, 0.05);
  // Without a step on the way.
  double before = strength(0.01);
  for (double luma = 0.03; luma < 0.5; luma += 0.02) {
    EXPECT_GE(strength(luma), before - 0.03) << luma;
    EXPECT_LE(strength(luma), before + 0.15) << luma;
    before = strength(luma);
  }
}

// S-2016-001 of the Academy (ACEScct): from 0.0078125 of light up, code = (log2(light) + 9.72) / 17.52.
double acesCct(double light) { return (std::log2(light) + 9.72) / 17.52; }

Frame throughLog(const Frame& frame) {
  FinishSettings s;
  s.log_curve = "ACEScct";
  return graded(frame, s);
}

// The output transform's own figure, from memory: middle grey of 0.18 is 4.8 of 48 cd/m² in the cinema, a
// tenth of white, and keeps that share on a screen. BT.1886 then is a power of 2.4.
TEST(LogCurve, MiddleGreyComesOutAsTheOutputTransformHasIt) {
  const Frame out = throughLog(plain(codeOf(acesCct(0.18)), 512, 512));
  EXPECT_NEAR(at(out, 0), codeOf(std::pow(0.1, 1 / 2.4)), 6);
  EXPECT_NEAR(at(out, 1), 512, 3);
  EXPECT_NEAR(at(out, 2), 512, 3);
}

TEST(LogCurve, LightsRollOffAndNothingTurnsBack) {
  int before = 0;
  for (double stops = -6; stops <= 6; stops += 0.5) {
    const int now = at(throughLog(plain(codeOf(acesCct(0.18 * std::exp2(stops))), 512, 512)), 0);
    EXPECT_GE(now, before) << stops;
    EXPECT_LE(now, 940) << stops;
    before = now;
  }
  EXPECT_GT(before, 900);
  // Four stops over grey is not clipped yet.
  EXPECT_LT(at(throughLog(plain(codeOf(acesCct(0.18 * 16)), 512, 512)), 0), 930);
}

TEST(LogCurve, ThePictureSaysThatItIsOneForAScreen) {
  Frame frame = plain(500, 512, 512);
  frame.colour.transfer = 2;
  frame.colour.primaries = 9;
  const Frame out = throughLog(frame);
  EXPECT_EQ(out.colour.transfer, 1);
  EXPECT_EQ(out.colour.primaries, 1);
  EXPECT_EQ(out.colour.matrix, frame.colour.matrix);
}

TEST(LogCurve, ThoseThatAreNotKnownAreRefused) {
  FinishSettings s;
  EXPECT_THROW(setByName(s, "log_curve", "of my own"), Error);
  EXPECT_TRUE(s.log_curve.empty());
  setByName(s, "log_curve", "ACEScct");
  EXPECT_EQ(finishFromText(finishToText(s)), s);
  s.log_curve = "of my own";
  EXPECT_THROW(Finisher({}, s), Error);
  EXPECT_GE(logCurves().size(), 5U);
}

}  // namespace
}  // namespace glenhaze
