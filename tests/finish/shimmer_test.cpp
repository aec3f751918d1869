// Detail that is too fine for the sensor and comes out otherwise in each frame is steadied; what does not
// alternate stays as it is. The scenes are closed forms, sampled with a pixel that sees less than its square,
// so that the truth at every place of the scene is known.
#include "core/finish/shimmer.h"

#include <gtest/gtest.h>

#include <cmath>
#include <opencv2/imgproc.hpp>
#include <random>

#include "core/base/error.h"
#include "core/finish/edge_response.h"
#include "tests/support/filmed.h"
#include "tests/support/motion.h"
#include "tests/support/photographs.h"

namespace glenhaze {
namespace {

constexpr int kWidth = 384, kHeight = 192;
const cv::Rect kRailing(70, 40, 120, 90);  // of the scene, well within every frame

double smoothPart(double x, double y) {
  return 118 + 22 * std::sin(x / 23) + 18 * std::sin(y / 17 + x / 41) +
         6 * std::sin(0.9 * x) * std::sin(0.7 * y);
}

// An edge that is soft enough for the sensor, leaning as the method wants it.
double edgePart(double x, double y) {
  return 60 + 120 / (1 + std::exp(-(0.996 * (x - 300) + 0.087 * (y - 90)) / 0.5));
}

// Posts finer than two samples of the picture allow.
double postAt(double x) {
  constexpr double kApart = 1.45, kWide = 0.6;
  return std::fmod(std::fmod(x, kApart) + kApart, kApart) < kWide ? 55 : 185;
}

double sceneAt(double x, double y, bool railing) {
  if (x > 250) return edgePart(x, y);
  return railing && kRailing.contains(cv::Point(static_cast<int>(x), static_cast<int>(y))) ? postAt(x)
                                                                                           : smoothPart(x, y);
}

struct Place {
  double x, y;
};

// A hand that walks: no frame stands where another one stood.
std::vector<Place> wandering(int frames) {
  std::vector<Place> places;
  std::mt19937 random(5);
  std::uniform_real_distribution<double> step(-1.3, 1.3);
  Place at{0, 0};
  for (int i = 0; i < frames; ++i) {
    places.push_back(at);
    at = {std::clamp(at.x + step(random), -12.0, 12.0), std::clamp(at.y + 0.4 * step(random), -6.0, 6.0)};
  }
  return places;
}

struct Thing {  // moves on its own, in front of all
  bool there = false;
  double x0 = 40, y0 = 150, speed = 2.4, side = 24;
};

// Detail of all sizes, each octave as strong as the next: as things are.
double thingAt(double x, double y) {
  double value = 120;
  for (double f = 0.15; f < 2.6; f *= 1.6)
    value += 14 * std::sin(f * x + 3 * f * f) * std::sin(0.8 * f * y + f * x * 0.3 + 5 * f);
  return value;
}

// `aperture`: of a pixel's side. Most sensors see more than 0.4, none sees all.
Frame filmed(const Place& at, int index, bool railing, double noise, const Thing& thing = {},
             double aperture = 0.4) {
  Frame frame = makeFrame(kWidth, kHeight, {Chroma::C420, 8});
  frame.index = index;
  frame.colour = {1, 1, 1, true, ChromaSiting::Left};
  std::mt19937 random(static_cast<unsigned>(100 + index));
  std::normal_distribution<double> grain(0, noise);
  constexpr int kSamples = 3;
  for (int y = 0; y < kHeight; ++y)
    for (int x = 0; x < kWidth; ++x) {
      double sum = 0;
      for (int s = 0; s < kSamples; ++s) {
        const double off = aperture * ((s + 0.5) / kSamples - 0.5);
        const double px = x + at.x + off, py = y + at.y;
        const double tx = px - thing.x0 - thing.speed * index, ty = py - thing.y0;
        const bool on = thing.there && tx >= 0 && tx < thing.side && ty >= 0 && ty < thing.side;
        sum += on ? thingAt(tx, ty) : sceneAt(px, py, railing);
      }
      frame.planes[0].row<uint8_t>(y)[x] =
          static_cast<uint8_t>(std::clamp(std::lround(sum / kSamples + grain(random)), 0L, 255L));
    }
  for (size_t p = 1; p < 3; ++p)
    for (int y = 0; y < kHeight / 2; ++y)
      std::fill_n(frame.planes[p].row<uint8_t>(y), kWidth / 2, uint8_t{128});
  return frame;
}

std::vector<Frame> through(ShimmerCalmer calmer, const std::vector<Frame>& frames) {
  std::vector<Frame> out;
  for (const Frame& f : frames)
    if (auto done = calmer.push(f)) out.push_back(*done);
  while (auto done = calmer.drain()) out.push_back(*done);
  return out;
}

cv::Mat lumaOf(const Frame& f) {
  return cv::Mat(f.height, f.width, CV_8U, f.planes[0].data, static_cast<size_t>(f.planes[0].stride));
}

// Mean over an area of the scene of how much each place of it changes over time, squared.
double changeOverTime(const std::vector<Frame>& frames, const std::vector<Place>& places, cv::Rect area) {
  cv::Mat sum = cv::Mat::zeros(area.size(), CV_64F), squares = sum.clone();
  int count = 0;
  for (size_t i = 2; i + 2 < frames.size(); ++i) {
    cv::Mat luma, seen;
    lumaOf(frames[i]).convertTo(luma, CV_32F);
    cv::Mat map_x(area.size(), CV_32F), map_y(area.size(), CV_32F);
    for (int y = 0; y < area.height; ++y)
      for (int x = 0; x < area.width; ++x) {
        map_x.at<float>(y, x) = static_cast<float>(area.x + x - places[i].x);
        map_y.at<float>(y, x) = static_cast<float>(area.y + y - places[i].y);
      }
    cv::remap(luma, seen, map_x, map_y, cv::INTER_LANCZOS4);
    seen.convertTo(seen, CV_64F);
    sum += seen;
    squares += seen.mul(seen);
    ++count;
  }
  const cv::Mat mean = sum / count;
  return cv::mean(squares / count - mean.mul(mean))[0];
}

double meanDifference(const Frame& a, const Frame& b, cv::Rect area) {
  cv::Mat d;
  cv::absdiff(lumaOf(a)(area), lumaOf(b)(area), d);
  return cv::mean(d)[0];
}

struct Film {
  std::vector<Place> places;
  std::vector<Frame> frames;
};

Film filmOf(int count, bool railing, double noise, const Thing& thing = {}) {
  Film film{wandering(count), {}};
  for (int i = 0; i < count; ++i)
    film.frames.push_back(filmed(film.places[static_cast<size_t>(i)], i, railing, noise, thing));
  return film;
}

const cv::Rect kWithinRailing(76, 46, 108, 78);

TEST(Shimmer, OfARailingDropsByHalfOrMore) {
  const Film film = filmOf(14, true, 1.2);
  const auto calm = through(ShimmerCalmer(1), film.frames);
  ASSERT_EQ(calm.size(), film.frames.size());
  const double before = changeOverTime(film.frames, film.places, kWithinRailing),
               after = changeOverTime(calm, film.places, kWithinRailing);
  EXPECT_GT(before, 200) << "it does shimmer";
  EXPECT_LT(after, 0.5 * before);
}

TEST(Shimmer, LeavesAnEdgeAsSharpAsItWas) {
  const Film film = filmOf(14, true, 1.2);
  const auto calm = through(ShimmerCalmer(1), film.frames);
  for (const size_t i : {3U, 7U, 10U}) {
    const EdgeArea area{270, 30, 60, 120};
    const EdgeResponse before = measureEdge({&film.frames[i], 1}, area),
                       after = measureEdge({&calm[i], 1}, area);
    EXPECT_NEAR(after.mtf50 / before.mtf50, 1, 0.05) << i;
  }
}

TEST(Shimmer, LeavesWhatDoesNotAlternate) {
  const Film film = filmOf(9, true, 1.2);
  const auto calm = through(ShimmerCalmer(1), film.frames);
  for (const size_t i : {2U, 4U, 6U}) {
    EXPECT_LT(meanDifference(film.frames[i], calm[i], {200, 20, 40, 150}), 0.1);
    EXPECT_GT(meanDifference(film.frames[i], calm[i], {90, 60, 80, 50}), 2) << "but there it does";
  }
}

double squaredError(const Frame& a, const Frame& truth, cv::Rect area) {
  cv::Mat d;
  cv::subtract(lumaOf(a)(area), lumaOf(truth)(area), d, cv::noArray(), CV_32F);
  return cv::mean(d.mul(d))[0];
}

// No trail behind it and no blur within: it is as near to what a perfect sensor would have seen as before.
TEST(Shimmer, LeavesThingsThatMoveOnTheirOwn) {
  Thing thing;
  thing.there = true;
  const Film film = filmOf(9, false, 1.2, thing);
  const auto calm = through(ShimmerCalmer(1), film.frames);
  for (const size_t i : {2U, 4U, 6U}) {
    const Place& at = film.places[i];
    const int x = static_cast<int>(thing.x0 + thing.speed * static_cast<double>(i) - at.x),
              y = static_cast<int>(thing.y0 - at.y);
    const cv::Rect around(x - 10, y - 6, 44, 36);
    const Frame truth = filmed(at, static_cast<int>(i), false, 0, thing, 1);
    EXPECT_LT(squaredError(calm[i], truth, around), 1.02 * squaredError(film.frames[i], truth, around)) << i;
  }
}

// A frame that a jolt has blurred neither takes from its neighbours' sharpness nor gets of it.
TEST(Shimmer, LeavesABlurredFrameAlone) {
  Film film = filmOf(9, true, 1.2);
  const auto sharp = through(ShimmerCalmer(1), film.frames);
  cv::Mat luma = lumaOf(film.frames[4]);
  cv::GaussianBlur(luma, luma, {}, 1.5);
  const auto calm = through(ShimmerCalmer(1), film.frames);
  EXPECT_LT(meanDifference(film.frames[4], calm[4], kWithinRailing), 0.5);
  const double before =
      squaredError(film.frames[5], filmed(film.places[5], 5, true, 0, {}, 1), kWithinRailing);
  EXPECT_LT(squaredError(calm[5], filmed(film.places[5], 5, true, 0, {}, 1), kWithinRailing), before);
}

// Neighbours are counted: few at the ends, none over a cut, and where there are none nothing is done.
TEST(Shimmer, NothingComesOverACutAndEveryFrameComesOut) {
  Film film = filmOf(6, true, 1.2);
  for (int i = 0; i < 6; ++i) {
    Thing large;  // another scene altogether
    large.there = true;
    large.x0 = -50, large.y0 = -50, large.side = 600, large.speed = 0;
    film.frames.push_back(filmed(film.places[0], 6 + i, true, 1.2, large));
  }
  const auto calm = through(ShimmerCalmer(1), film.frames);
  ASSERT_EQ(calm.size(), 12U);
  for (size_t i = 0; i < 12; ++i) EXPECT_EQ(calm[i].index, static_cast<int64_t>(i));
  // What comes after the cut is not in what was before it: as if it had ended there.
  const auto alone = through(ShimmerCalmer(1), {film.frames.begin(), film.frames.begin() + 6});
  EXPECT_LT(meanDifference(calm[5], alone[5], kWithinRailing), 4);
  const auto one = through(ShimmerCalmer(1), {film.frames[0]});
  ASSERT_EQ(one.size(), 1U);
  EXPECT_EQ(meanDifference(one[0], film.frames[0], {0, 0, kWidth, kHeight}), 0);
}

TEST(Shimmer, TheSameBitsFromAnyFrameOnAndInSixteenBits) {
  const Film film = filmOf(8, true, 1.2);
  const auto whole = through(ShimmerCalmer(1), film.frames);
  const auto later = through(ShimmerCalmer(1, 2), {film.frames.begin() + 3, film.frames.end()});
  ASSERT_EQ(later.size(), 3U);
  EXPECT_EQ(later[0].index, 5);
  EXPECT_EQ(meanDifference(later[0], whole[5], {0, 0, kWidth, kHeight}), 0);
  std::vector<Frame> deep;
  for (const Frame& f : film.frames) {
    Frame d = makeFrame(f.width, f.height, {Chroma::C420, 10});
    d.index = f.index;
    d.colour = f.colour;
    for (size_t p = 0; p < 3; ++p)
      for (int y = 0; y < (p == 0 ? f.height : f.height / 2); ++y)
        for (int x = 0; x < (p == 0 ? f.width : f.width / 2); ++x)
          d.planes[p].row<uint16_t>(y)[x] = static_cast<uint16_t>(4 * f.planes[p].row<uint8_t>(y)[x]);
    deep.push_back(d);
  }
  const auto calm = through(ShimmerCalmer(1), deep);
  for (int x = 80; x < 180; x += 7)
    EXPECT_NEAR(calm[4].planes[0].row<uint16_t>(80)[x] / 4.0, whole[4].planes[0].row<uint8_t>(80)[x], 1) << x;
}

// Photographs as a hand films them, through a pixel that sees all of its square: nothing shimmers there, and
// with the noise that a cleaned picture may still have they stay as near to the clean film as they were.
TEST(Shimmer, TakesNothingFromPhotographs) {
  const auto photographs = testing::photographs();
  if (photographs.empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  const auto lens =
      std::make_shared<const testing::FilmingLens>(testing::testLens(LensModel::BrownConrady, 640, 360));
  for (size_t i = 0; i < photographs.size(); i += 3) {
    const auto noisy =
        testing::FilmedPhotograph(testing::inHand(photographs[i], lens, 1.0, 0.05, 0.4)).frames(7);
    const Frame clean =
        testing::FilmedPhotograph(testing::inHand(photographs[i], lens, 0, 0.05, 0.4)).frame(3);
    const auto calm = through(ShimmerCalmer(1), noisy);
    const cv::Rect whole(8, 8, 624, 344);
    const double before = squaredError(noisy[3], clean, whole), after = squaredError(calm[3], clean, whole);
    EXPECT_GT(10 * std::log10(before / after), -0.1) << photographs[i].filename();
  }
}

TEST(Shimmer, HalfIsHalf) {
  const Film film = filmOf(7, true, 1.2);
  const auto whole = through(ShimmerCalmer(1), film.frames), half = through(ShimmerCalmer(0.5), film.frames),
             none = through(ShimmerCalmer(0), film.frames);
  const double all = meanDifference(whole[3], film.frames[3], kWithinRailing);
  EXPECT_NEAR(meanDifference(half[3], film.frames[3], kWithinRailing), all / 2, 0.5);
  EXPECT_EQ(meanDifference(none[3], film.frames[3], {0, 0, kWidth, kHeight}), 0);
}

}  // namespace
}  // namespace glenhaze
