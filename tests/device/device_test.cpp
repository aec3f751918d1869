// Devices beside the processor: what they make against what the processor makes, and what becomes of work
// that they hand back. Here the only device is the processor itself, by OpenCL (PoCL).
#include "core/device/device.h"

#include <gmock/gmock.h>

#include <cmath>

#include "core/pipeline/correction.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

using ::testing::HasSubstr;
using ::testing::IsEmpty;
using ::testing::Not;

std::string anyDevice() {
  const auto all = computeDevices();
  return all.empty() ? "" : all[0].id;
}

class OnDevice : public ::testing::Test {
 protected:
  void SetUp() override {
    if (anyDevice().empty()) GTEST_SKIP() << "OpenCL knows no device here";
  }
};

// Something with edges, fine texture, and flat parts, up to the ends of the range.
Frame busy(int width, int height, PixelFormat format) {
  const double top = format.maxValue();
  return testing::paint(width, height, format, [=](int x, int y) {
    const double wave = std::sin(0.9 * x + 0.3 * y) * std::cos(0.05 * x - 0.7 * y);
    const double steps = (x / 23 + y / 17) % 3 * 0.35;
    return static_cast<int>(std::clamp(top * (0.15 + steps + 0.2 * wave), 0.0, top));
  });
}

struct Difference {
  int most = 0;
  double share = 0;  // of the samples that differ at all
};

Difference differenceOf(const Frame& a, const Frame& b) {
  Difference found;
  int64_t count = 0, differ = 0;
  const int bytes = a.format.bytesPerSample();
  for (size_t p = 0; p < static_cast<size_t>(a.format.numPlanes()); ++p)
    for (int y = 0; y < a.planes[p].height; ++y)
      for (int x = 0; x < a.planes[p].width; ++x) {
        const int d = std::abs(a.planes[p].at(x, y, bytes) - b.planes[p].at(x, y, bytes));
        found.most = std::max(found.most, d);
        differ += d > 0 ? 1 : 0;
        ++count;
      }
  found.share = static_cast<double>(differ) / static_cast<double>(count);
  return found;
}

TEST(Devices, AreNamedOnceEach) {
  const auto all = computeDevices();
  for (size_t i = 0; i < all.size(); ++i) {
    EXPECT_THAT(all[i].name, Not(IsEmpty()));
    EXPECT_GT(all[i].memory, 0U);
    for (size_t j = 0; j < i; ++j) EXPECT_NE(all[i].id, all[j].id);
  }
  try {
    Device::open("Lantern 9000");
    FAIL() << "opened";
  } catch (const DeviceFailure& failure) {
    EXPECT_THAT(failure.what(), HasSubstr("no such device"));
    EXPECT_THAT(failure.what(), HasSubstr("Lantern 9000"));
  }
}

TEST_F(OnDevice, ChoicesAreKeptAsText) {
  const std::string id = anyDevice();
  for (const std::string& text : {std::string(), id, "clean " + id, "place " + id})
    EXPECT_EQ(choiceText(choiceFrom(text)), text);
  const DeviceUse use(choiceFrom("clean " + id));
  EXPECT_NE(deviceFor(DeviceWork::Clean), nullptr);
  EXPECT_EQ(deviceFor(DeviceWork::Place), nullptr);
  {
    const DeviceUse none({});
    EXPECT_EQ(deviceFor(DeviceWork::Clean), nullptr);
  }
  EXPECT_NE(deviceFor(DeviceWork::Clean), nullptr) << "what was said before holds again";
}

// "Within half a code value": once both are rounded, some land one beside the other and none further.
TEST_F(OnDevice, PlacesPicturesAsTheProcessorDoes) {
  constexpr PictureSize kSize{333, 187};
  struct Way {
    const char* name;
    PictureSize output;
    PixelMap map;
  };
  const Lens lens = testing::testLens(LensModel::BrownConrady, kSize.width, kSize.height);
  const LensWindow window(lens, {kSize.width, kSize.height, 1, 0});
  const std::vector<Way> ways{
      {"moved by a fraction", kSize,
       [](Point p) {
         return std::optional(Point{p.x + 0.37, p.y - 1.61});
       }},
      {"a lens, with its corners", kSize, [&](Point p) { return window.toSource(p); }},
      {"shrunk to a third",
       {111, 62},
       [](Point p) {
         return std::optional(Point{3 * p.x + 1, 3 * p.y + 1});
       }},
      {"turned", kSize,
       [](Point p) {
         return std::optional(Point{0.8 * p.x - 0.6 * p.y + 60, 0.6 * p.x + 0.8 * p.y - 40});
       }},
      {"enlarged",
       {400, 300},
       [](Point p) {
         return std::optional(Point{p.x / 1.7 + 20, p.y / 1.7 + 9});
       }},
      {"a map that needs every pixel", kSize, [](Point p) {
         return std::optional(Point{p.x + 0.8 * std::sin(p.y), p.y + 0.5 * std::sin(0.8 * p.x)});
       }}};
  const auto device = Device::open(anyDevice());
  for (const Way& way : ways)
    for (const auto& [from, to] : {std::pair{PixelFormat{Chroma::C420, 8}, PixelFormat{Chroma::C420, 8}},
                                   {{Chroma::C422, 10}, {Chroma::C422, 10}},
                                   {{Chroma::C420, 8}, {Chroma::C422, 10}},
                                   {{Chroma::C444, 16}, {Chroma::C444, 16}}}) {
      const Frame source = busy(kSize.width, kSize.height, from);
      const WarpGrid grid(way.output, kSize, way.map);
      const Frame by_processor = warpFrame(source, grid, to);
      Frame by_device;
      {
        const DeviceUse use({device});
        by_device = warpFrame(source, grid, to);
      }
      ASSERT_EQ(device->whyNot(), "");
      const Difference d = differenceOf(by_processor, by_device);
      EXPECT_LE(d.most, 1) << way.name << ", " << to.bit_depth << " bits";
      EXPECT_LE(d.share, to.bit_depth == 16 ? 0.2 : 0.01) << way.name << ", " << to.bit_depth << " bits";
    }
}

TEST_F(OnDevice, HandsPlacesBackWhenItFails) {
  const Frame source = busy(320, 180, {Chroma::C420, 8});
  const WarpGrid grid({320, 180}, {320, 180}, [](Point p) { return std::optional(Point{p.x + 0.37, p.y}); });
  const Frame by_processor = warpFrame(source, grid, source.format);
  // Fails with the second plane.
  const auto device = Device::open(anyDevice(), 1);
  const DeviceUse use({device});
  const Frame begun = warpFrame(source, grid, source.format);
  EXPECT_LE(differenceOf(by_processor, begun).most, 1);
  EXPECT_EQ(device->whyNot(), "it fails on purpose");
  EXPECT_EQ(deviceFor(DeviceWork::Place), nullptr) << "it is not asked again";
  EXPECT_TRUE(sameSamples(warpFrame(source, grid, source.format), by_processor));
}

}  // namespace
}  // namespace glenhaze
