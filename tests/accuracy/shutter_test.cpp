// The readout from a lamp and from a pan, on photographs: lit by a lamp that flickers, or panned past.
#include <gtest/gtest.h>

#include <opencv2/imgproc.hpp>
#include <random>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/media/clip_info.h"
#include "core/shutter/lamp.h"
#include "core/shutter/pan.h"
#include "tests/support/believed.h"
#include "tests/support/filmed.h"
#include "tests/support/motion.h"
#include "tests/support/photographs.h"

namespace glenhaze {
namespace {

constexpr int kWidth = 640, kHeight = 360;
constexpr double kFps = 30;

struct Case {
  testing::Filming filming;
  std::string label;
};

// Every second film is coded as H.264, at what would be 25 Mbit/s at 1080p.
std::string codingOfCase(int i) {
  return i % 2 == 0 ? "-c:v ffv1" : "-c:v libx264 -preset veryfast -b:v 2.8M";
}

// Of photographs, readouts and noise of all kinds.
std::vector<Case> casesOf(int count, unsigned seed) {
  const auto photographs = testing::photographs();
  const auto lens = std::make_shared<const testing::FilmingLens>(
      testing::testLens(LensModel::BrownConrady, kWidth, kHeight));
  std::mt19937 random(seed);
  std::vector<Case> cases;
  for (int i = 0; i < count; ++i) {
    Case c;
    c.filming.photograph = photographs[static_cast<size_t>(i) % photographs.size()];
    c.filming.lens = lens;
    c.filming.readout_s = 0.006 + 0.024 * (random() % 1000) / 999.0;
    c.filming.noise = std::array{0.7, 2.0, 4.0}[static_cast<size_t>(i) % 3];
    c.filming.seed = seed + static_cast<unsigned>(i);
    c.filming.turning = [](double) { return Quaternion{}; };
    c.label = c.filming.photograph.stem().string().substr(0, 14) + " noise " + fixedText(c.filming.noise, 1);
    cases.push_back(std::move(c));
  }
  return cases;
}

// The light of a lamp on mains over each row's own time, its exposure taken in.
void light(Frame& frame, double time_s, double readout_s, double hz, double depth, double open_s) {
  const double turn = 2 * 3.14159265358979 * hz, damped = std::sin(turn * open_s / 2) / (turn * open_s / 2);
  for (int y = 0; y < kHeight; ++y) {
    const double t = time_s + readout_s * (static_cast<double>(y) / (kHeight - 1) - 0.5);
    const double gain = 1 + depth * damped * std::cos(turn * t + 0.7);
    auto* row = frame.planes[0].row<uint8_t>(y);
    for (int x = 0; x < kWidth; ++x)
      row[x] = static_cast<uint8_t>(std::clamp(std::lround(16 + (row[x] - 16) * gain), 16L, 235L));
  }
}

TEST(Believed, ReadoutFromAFlickeringLamp) {
  if (testing::photographs().empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  const testing::ScratchFolder folder;
  testing::Believed table("Readout from a lamp, ms");
  int i = -1;
  for (const Case& c : casesOf(42, 31)) {
    if (!testing::caseRuns(static_cast<size_t>(++i))) continue;
    const double hz = i % 2 == 0 ? 100 : 120.3,
                 depth = std::array{0.08, 0.2, 0.5}[static_cast<size_t>(i / 2) % 3],
                 open_s = std::array{0.001, 0.004, 0.0075}[static_cast<size_t>(i / 3) % 3];
    const std::string label =
        c.label + ", depth " + fixedText(depth, 2) + ", open " + fixedText(open_s * 1000, 1);
    const testing::FilmedPhotograph film(c.filming);
    std::vector<Frame> frames;
    for (int f = 0; f < 20; ++f) {
      frames.push_back(film.frame(f));
      light(frames.back(), f / kFps, c.filming.readout_s, hz, depth, open_s);
    }
    try {
      const ShutterFinding found = measureLamp(
          testing::filmOfFrames(folder / ("lamp" + std::to_string(i) + ".mkv"), frames, codingOfCase(i)), hz);
      table.add(label, found.shutter.readout_s * 1000, c.filming.readout_s * 1000,
                found.uncertainty_s * 1000);
    } catch (const Error& error) {
      table.addRefused(label + " " + fixedText(c.filming.readout_s * 1000, 1), error.what());
    }
    std::filesystem::remove(folder / ("lamp" + std::to_string(i) + ".mkv"));
  }
  table.expectBelieved(32);
}

// Uprights of all widths: what lies along the middle of a photograph, drawn out from top to bottom.
cv::Mat uprightsOf(const std::filesystem::path& photograph) {
  const cv::Mat picture = testing::greyOf(photograph);
  cv::Mat line, uprights;
  cv::reduce(picture.rowRange(picture.rows / 2 - 8, picture.rows / 2 + 8), line, 0, cv::REDUCE_AVG, CV_32F);
  line.convertTo(line, CV_8U);
  cv::repeat(line, picture.rows, 1, uprights);
  return uprights;
}

TEST(Believed, ReadoutFromAPan) {
  if (testing::photographs().empty()) GTEST_SKIP() << "lomiri-wallpapers-16.04 is not installed";
  const testing::ScratchFolder folder;
  testing::Believed table("Readout from a pan, ms");
  int i = -1;
  for (Case& c : casesOf(42, 77)) {
    if (!testing::caseRuns(static_cast<size_t>(++i))) continue;
    const double degrees = std::array{5.0, 9.0, 14.0}[static_cast<size_t>(i) % 3], hang = (i % 5 - 2) * 0.8;
    c.filming.turning = [=](double t) {
      return testing::orientationOf([&] {
        sim::Pose p;
        p.ry = degrees * std::sin(3.5 * t) * testing::kDegree;
        p.rz = hang * testing::kDegree;
        return p;
      }());
    };
    const std::string label = c.label + ", by " + fixedText(degrees, 0) + "°";
    c.filming.drawn = uprightsOf(c.filming.photograph);
    const testing::FilmedPhotograph film(c.filming);
    const std::vector<Frame> frames = film.frames(26);
    try {
      const ShutterFinding found = measurePan(
          testing::filmOfFrames(folder / ("pan" + std::to_string(i) + ".mkv"), frames, codingOfCase(i)),
          c.filming.lens->lens);
      table.add(label, found.shutter.readout_s * 1000, c.filming.readout_s * 1000,
                found.uncertainty_s * 1000);
    } catch (const Error& error) {
      table.addRefused(label, error.what());
    }
    std::filesystem::remove(folder / ("pan" + std::to_string(i) + ".mkv"));
  }
  // A little too careful: what coding does to a lean is a share of its own in each film.
  table.expectBelieved(32, 0.55, 3, 0.9);
}

}  // namespace
}  // namespace glenhaze
