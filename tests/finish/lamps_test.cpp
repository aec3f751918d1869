// One lamp that flickers apart from the rest is found, follows the picture, and is evened; what is no lamp
// is left alone. The scenes are made here, so that what each lamp does is known.
#include "core/finish/lamps.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <opencv2/imgproc.hpp>
#include <random>

#include "core/finish/flicker.h"
#include "tests/support/filmed.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

constexpr int kRoomWidth = 480, kRoomHeight = 270;
constexpr double kRoomFps = 30;

// Larger than a frame, with detail of several sizes.
cv::Mat wall() {
  cv::Mat sum(400, 640, CV_32F, cv::Scalar(95));
  cv::RNG random(7);
  for (const int size : {6, 20, 60}) {
    cv::Mat few(sum.rows / size + 2, sum.cols / size + 2, CV_32F), many;
    random.fill(few, cv::RNG::NORMAL, 0, 9);
    cv::resize(few, many, sum.size(), 0, 0, cv::INTER_CUBIC);
    sum += many;
  }
  return sum;
}

struct Lit {
  double x = 330, y = 150, wide = 45;  // of its pool of light, in the scene
  double depth = 0.15, hz = 6.3;
};

struct RoomFilm {
  std::vector<Frame> frames;
  std::vector<cv::Point2d> places;  // of the frame's corner in the scene
};

double pool(const Lit& lamp, double x, double y) {
  return std::exp(-(std::pow(x - lamp.x, 2) + std::pow(y - lamp.y, 2)) / (2 * lamp.wide * lamp.wide));
}

RoomFilm roomFilmed(int count, const std::vector<Lit>& lamps, double drift, double all = 0,
                    bool walker = false) {
  const cv::Mat scene = wall();
  RoomFilm film;
  std::mt19937 random(3);
  std::normal_distribution<double> grain(0, 1.5);
  for (int f = 0; f < count; ++f) {
    const double t = f / kRoomFps;
    const cv::Point2d corner(70 + drift * std::sin(1.9 * t) + 3 * std::sin(17 * t),
                             60 + 0.3 * drift * std::cos(1.4 * t));
    Frame frame = makeFrame(kRoomWidth, kRoomHeight, {Chroma::C420, 8});
    frame.index = f;
    frame.colour = {1, 1, 1, true, ChromaSiting::Left};
    cv::Mat view, map;
    cv::warpAffine(scene, view, cv::Matx23d(1, 0, -corner.x, 0, 1, -corner.y), {kRoomWidth, kRoomHeight});
    for (int y = 0; y < kRoomHeight; ++y)
      for (int x = 0; x < kRoomWidth; ++x) {
        const double px = x + corner.x, py = y + corner.y;
        double v =
            static_cast<double>(view.at<float>(y, x)) * (1 + all * std::sin(2 * std::numbers::pi * 4.1 * t));
        for (const Lit& lamp : lamps)
          v *= 1 + lamp.depth * pool(lamp, px, py) * std::sin(2 * std::numbers::pi * lamp.hz * t);
        if (walker && std::abs(px - 150 - 60 * t) < 20 && py > 150) v = 40;
        frame.planes[0].row<uint8_t>(y)[x] =
            static_cast<uint8_t>(std::clamp(std::lround(v + grain(random)), 0L, 255L));
      }
    for (size_t p = 1; p < 3; ++p)
      for (int y = 0; y < kRoomHeight / 2; ++y)
        std::fill_n(frame.planes[p].row<uint8_t>(y), kRoomWidth / 2,
                    static_cast<uint8_t>(p == 1 ? 118 : 140));
    film.frames.push_back(frame);
    film.places.push_back(corner);
  }
  return film;
}

std::vector<LampPath> lampsIn(const RoomFilm& film) {
  LampFinder finder;
  for (const Frame& f : film.frames) finder.add(f, 0, false);
  return finder.lamps(kRoomFps);
}

// RMS over time of what a place of the scene does from frame to frame, as a share of its level.
double pulsingAt(const std::vector<Frame>& frames, const std::vector<cv::Point2d>& places, double x,
                 double y) {
  double before = 0, sum = 0;
  for (size_t f = 0; f < frames.size(); ++f) {
    const cv::Rect box(static_cast<int>(std::lround(x - places[f].x)) - 10,
                       static_cast<int>(std::lround(y - places[f].y)) - 10, 20, 20);
    const cv::Mat luma(kRoomHeight, kRoomWidth, CV_8U, frames[f].planes[0].data,
                       static_cast<size_t>(frames[f].planes[0].stride));
    const double level = std::log(cv::mean(luma(box))[0]);
    if (f > 0) sum += (level - before) * (level - before);
    before = level;
  }
  return std::sqrt(sum / static_cast<double>(frames.size() - 1));
}

std::vector<Frame> evened(const std::vector<Frame>& frames, const std::vector<LampPath>& lamps) {
  std::vector<Frame> out;
  for (const Frame& f : frames) {
    out.push_back(cloneFrame(f));
    for (const LampPath& lamp : lamps) evenLamp(out.back(), lamp, 1);
  }
  return out;
}

TEST(Lamps, OneIsFoundFollowedAndEvened) {
  for (const double drift : {0.0, 25.0}) {
    const Lit lamp;
    const RoomFilm film = roomFilmed(90, {lamp}, drift);
    const auto found = lampsIn(film);
    ASSERT_EQ(found.size(), 1U) << drift;
    EXPECT_NEAR(found[0].depth, lamp.depth / std::numbers::sqrt2, 0.03);
    EXPECT_NEAR(found[0].rate_hz, lamp.hz, 0.4);
    EXPECT_NE(found[0].describe().find("Hz, "), std::string::npos) << found[0].describe();
    const auto calm = evened(film.frames, found);
    const double before = pulsingAt(film.frames, film.places, lamp.x, lamp.y),
                 after = pulsingAt(calm, film.places, lamp.x, lamp.y);
    EXPECT_GT(before, 0.08);
    EXPECT_LT(after, 0.2 * before) << drift;
    // Where its light falls off it is evened as much, and far from it nothing changes.
    EXPECT_LT(pulsingAt(calm, film.places, lamp.x + 45, lamp.y),
              0.4 * pulsingAt(film.frames, film.places, lamp.x + 45, lamp.y));
    for (const size_t f : {10U, 50U})
      for (int y = 0; y < kRoomHeight; ++y)
        for (int x = 0; x < 60; ++x)
          ASSERT_EQ(calm[f].planes[0].row<uint8_t>(y)[x], film.frames[f].planes[0].row<uint8_t>(y)[x])
              << x << " " << y;
  }
}

TEST(Lamps, TwoHaveEachTheirOwn) {
  Lit left, right;
  left.x = 190, left.y = 190, left.hz = 3.7, left.depth = 0.12, left.wide = 30;
  right.x = 430, right.wide = 35;
  const RoomFilm film = roomFilmed(90, {left, right}, 8);
  const auto found = lampsIn(film);
  ASSERT_EQ(found.size(), 2U);
  EXPECT_NEAR(found[0].rate_hz, right.hz, 0.4) << "the strongest first";
  EXPECT_NEAR(found[1].rate_hz, left.hz, 0.4);
  const auto calm = evened(film.frames, found);
  for (const Lit& lamp : {left, right})
    EXPECT_LT(pulsingAt(calm, film.places, lamp.x, lamp.y),
              0.3 * pulsingAt(film.frames, film.places, lamp.x, lamp.y))
        << lamp.x;
}

TEST(Lamps, NoneIsInventedWhereNoneFlickers) {
  EXPECT_TRUE(lampsIn(roomFilmed(90, {}, 0)).empty());
  EXPECT_TRUE(lampsIn(roomFilmed(90, {}, 25)).empty());
  EXPECT_TRUE(lampsIn(roomFilmed(90, {}, 10, 0, true)).empty()) << "somebody walks by";
  EXPECT_TRUE(lampsIn(roomFilmed(40, {Lit()}, 0)).empty()) << "too short to tell";
}

// A chance of sequence: measured along with the flicker of the whole, kept as text, and both evened.
TEST(Lamps, TheWholeAndTheLampAreEvenedApart) {
  const testing::ScratchFolder folder;
  const Lit lamp;
  const RoomFilm film = roomFilmed(90, {lamp}, 6, 0.05);
  const ClipInfo clip = testing::filmOfFrames(folder / "a.y4m", film.frames);
  const FlickerPath path = measureFlicker(clip);
  EXPECT_NEAR(path.depth, 0.05 / std::numbers::sqrt2, 0.01);
  ASSERT_EQ(path.lamps.size(), 1U);
  EXPECT_NE(path.describe().find(", and of one lamp ("), std::string::npos) << path.describe();
  const auto again = flickerFromText(flickerToText(path));
  ASSERT_TRUE(again);
  EXPECT_EQ(*again, path);
  EXPECT_FALSE(flickerFromText(flickerToText(path) + "|1 2 3"));
  std::vector<Frame> calm;
  for (const Frame& f : film.frames) {
    calm.push_back(cloneFrame(f));
    evenOut(calm.back(), *again, 1);
  }
  EXPECT_LT(pulsingAt(calm, film.places, lamp.x, lamp.y),
            0.25 * pulsingAt(film.frames, film.places, lamp.x, lamp.y));
  EXPECT_LT(pulsingAt(calm, film.places, 130, 120), 0.45 * pulsingAt(film.frames, film.places, 130, 120));
}

}  // namespace
}  // namespace glenhaze
