// Devices beside the processor: what they make against what the processor makes, and what becomes of work
// that they hand back. Here the only device is the processor itself, by OpenCL (PoCL).
#include "core/device/device.h"

#include <gmock/gmock.h>

#include <cmath>

#include "core/media/reader.h"
#include "core/noise/denoise.h"
#include "core/noise/detail/merge_device.h"
#include "core/noise/detail/noise_model.h"
#include "core/pipeline/correction.h"
#include "core/pipeline/render.h"
#include "tests/support/footage.h"
#include "tests/support/noise.h"

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
  double far = 0;    // of those that differ by more than one
};

Difference differenceOf(const Frame& a, const Frame& b) {
  Difference found;
  int64_t count = 0, differ = 0, far = 0;
  const int bytes = a.format.bytesPerSample();
  for (size_t p = 0; p < static_cast<size_t>(a.format.numPlanes()); ++p)
    for (int y = 0; y < a.planes[p].height; ++y)
      for (int x = 0; x < a.planes[p].width; ++x) {
        const int d = std::abs(a.planes[p].at(x, y, bytes) - b.planes[p].at(x, y, bytes));
        found.most = std::max(found.most, d);
        differ += d > 0 ? 1 : 0;
        far += d > 1 ? 1 : 0;
        ++count;
      }
  found.share = static_cast<double>(differ) / static_cast<double>(count);
  found.far = static_cast<double>(far) / static_cast<double>(count);
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

// A picture that moves on, with something that moves otherwise before it.
std::vector<Frame> movingNoise(PixelFormat format, int frames) {
  std::vector<Frame> made;
  const double unit = 1 << (format.bit_depth - 8);
  for (int i = 0; i < frames; ++i) {
    const Frame clean = testing::paint(217, 133, format, [=](int x, int y) {
      const bool apart = x > 60 + 9 * i && x < 100 + 9 * i && y > 40 && y < 90;
      const double u = x + 1.7 * i, v = y - 0.6 * i;
      const double wall =
          110 + 40 * std::sin(0.045 * u) * std::cos(0.06 * v) + 25 * std::sin(0.7 * u + 0.4 * v);
      return static_cast<int>(unit * std::clamp(apart ? 190.0 : wall, 16.0, 235.0));
    });
    made.push_back(testing::noisy(clean, 5, 4, static_cast<unsigned>(i + 1)));
    made.back().index = i;
  }
  return made;
}

std::vector<Frame> cleaned(const std::vector<Frame>& frames, const DenoiseSettings& settings) {
  Denoiser denoiser(testing::evenCurve(5, 4), settings);
  std::vector<Frame> out;
  for (const Frame& frame : frames)
    if (auto done = denoiser.push(frame)) out.push_back(*done);
  while (auto done = denoiser.drain()) out.push_back(*done);
  return out;
}

// One plane against two neighbours, with all that a job may say.
struct OneMerge {
  static constexpr int kWidth = 217, kHeight = 133;
  detail::SamplePlane middle, kept;
  std::vector<detail::SamplePlane> others;
  std::vector<detail::BlockVector> vectors;
  std::vector<detail::BandShares> shares, kept_shares;
  std::vector<float> variance, trust, trust_out;
  std::vector<std::byte> out;
  std::shared_ptr<const detail::NoiseModel> noise = detail::noiseModel(testing::evenCurve(5, 4), 1, 1);
  detail::BlockTables tables;
  std::vector<float> shrink = std::vector<float>(detail::kBlockArea, 2.5F);
  detail::MergeJob job;

  explicit OneMerge(int neighbours) {
    const std::vector<Frame> frames = movingNoise({Chroma::Mono, 8}, neighbours + 1);
    middle = detail::samplePlane(frames[0], 0);
    kept = middle;
    for (int n = 0; n < neighbours; ++n)
      others.push_back(detail::samplePlane(frames[static_cast<size_t>(n) + 1], 0));
    job.columns = detail::blocksAlong(kWidth);
    job.rows = detail::blocksAlong(kHeight);
    const auto blocks = static_cast<size_t>(job.columns * job.rows);
    const auto cells = static_cast<size_t>((job.columns + 1) * (job.rows + 1));
    std::mt19937 random(3);
    std::uniform_real_distribution<float> some(0, 1);
    // Near where they are found, some far off and beyond the border.
    for (size_t i = 0; i < cells; ++i) {
      const bool far = i % 97 == 0;
      vectors.push_back(
          {-1.7F + 0.3F * some(random) + (far ? -230 : 0), 0.6F * some(random) + (far ? 150 : 0)});
    }
    for (size_t i = 0; i < blocks; ++i) {
      variance.push_back(i % 13 == 0 ? 0 : 20 + 10 * some(random));
      trust.push_back(i % 3 == 0 ? some(random) : 1);
      for (float& share : shares.emplace_back().band) share = 0.2F + 0.8F * some(random);
    }
    kept_shares.resize(blocks);
    trust_out.resize(blocks);
    job.plane = job.untouched = middle.row(0);
    job.stride = middle.stride;
    job.width = kWidth;
    job.height = kHeight;
    job.neighbours = neighbours;
    for (int n = 0; n < neighbours; ++n)
      job.neighbour[n] = {others[static_cast<size_t>(n)].row(0), vectors.data(),
                          n == 0 ? shares.data() : nullptr, trust.data(),
                          n == 0 ? trust_out.data() : nullptr};
    job.shares = shares.data();
    job.variance = variance.data();
    job.spectrum = noise->spectrum[0].data();
    job.expected = noise->expected[0];
    job.tables = &tables;
    job.shrink = shrink.data();
    job.forgetting = 0.08F;
    job.mix = 0.1F;
    job.kept = kept.row(0);
    job.kept_shares = kept_shares.data();
  }
};

TEST_F(OnDevice, MergesBlocksWithinHalfACode) {
  const auto device = Device::open(anyDevice());
  for (const int neighbours : {0, 1, 2, 4})
    for (const bool shrinks : {true, false}) {
      OneMerge one(neighbours), other(neighbours);
      if (!shrinks) one.job.shrink = other.job.shrink = nullptr;
      detail::mergeRows(one.job, 1, one.job.rows);
      detail::mergeOnDevice(*device, other.job);
      int most = 0;
      double sum = 0, changed = 0;
      for (int y = 0; y < OneMerge::kHeight; ++y)
        for (int x = 0; x < OneMerge::kWidth; ++x) {
          const int d = std::abs(one.kept.row(y)[x] - other.kept.row(y)[x]);
          most = std::max(most, d);
          sum += d;
          changed += std::abs(one.middle.row(y)[x] - one.kept.row(y)[x]);
        }
      const double count = OneMerge::kHeight * OneMerge::kWidth;
      EXPECT_LE(most, detail::kSampleUnit / 2) << neighbours << " neighbours";
      EXPECT_LE(sum / count, 0.02 * detail::kSampleUnit) << neighbours << " neighbours";
      if (neighbours > 0 || shrinks)
        EXPECT_GE(changed / count, 20 * sum / count) << "what it is held against does too little";
      for (size_t i = 0; i < one.kept_shares.size(); ++i)
        for (int b = 0; b < detail::kBands; ++b)
          ASSERT_NEAR(one.kept_shares[i].band[b], other.kept_shares[i].band[b], 2e-3) << i << " " << b;
      for (size_t i = 0; i < one.trust_out.size() && neighbours > 0; ++i)
        ASSERT_NEAR(one.trust_out[i], other.trust_out[i], 1e-3) << i;
    }
}

// Half a 64th of a code in what is remembered decides which of two places that are alike a block is taken
// for: from then on a few samples have other noise left in them, no more of it.
TEST_F(OnDevice, CleansAsTheProcessorDoes) {
  struct Way {
    const char* name;
    DenoiseSettings settings;
    PixelFormat format{};
  };
  std::vector<Way> ways{{"as it comes", {}},
                        {"each picture by itself", {}},
                        {"three frames ahead", {}, {Chroma::C422, 10}},
                        {"part mixed back, and not shrunk", {}, {Chroma::C420, 10}},
                        {"one that tolerates much", {}, {Chroma::C444, 12}},
                        {"grey", {}, {Chroma::Mono, 8}}};
  ways[1].settings.frames_each_side = 0;
  ways[2].settings.frames_each_side = 3;
  ways[3].settings.mix = 0.3;
  ways[3].settings.smoothing = 0;
  ways[4].settings.tolerance = 3;
  const auto device = Device::open(anyDevice());
  for (const Way& way : ways) {
    const std::vector<Frame> frames = movingNoise(way.format, 6),
                             by_processor = cleaned(frames, way.settings);
    std::vector<Frame> by_device;
    {
      const DeviceUse use({device});
      by_device = cleaned(frames, way.settings);
    }
    ASSERT_EQ(device->whyNot(), "");
    ASSERT_EQ(by_device.size(), by_processor.size());
    for (size_t i = 0; i < by_device.size(); ++i) {
      const Difference d = differenceOf(by_processor[i], by_device[i]);
      EXPECT_LE(d.far, 2e-3) << way.name << ", frame " << i;
      EXPECT_LE(d.share, 0.03) << way.name << ", frame " << i;
      EXPECT_GT(differenceOf(frames[i], by_device[i]).share, 0.3) << way.name << ": nothing was cleaned";
    }
  }
}

TEST_F(OnDevice, HandsPicturesBackWhenItFailsAmongThem) {
  const std::vector<Frame> frames = movingNoise({}, 6), by_processor = cleaned(frames, {});
  for (const int pieces : {0, 1, 5, 12}) {
    const auto device = Device::open(anyDevice(), pieces);
    const DeviceUse use({device});
    const std::vector<Frame> out = cleaned(frames, {});
    EXPECT_EQ(device->whyNot(), "it fails on purpose");
    ASSERT_EQ(out.size(), frames.size()) << "a frame was lost";
    for (size_t i = 0; i < out.size(); ++i) EXPECT_LE(differenceOf(by_processor[i], out[i]).far, 2e-3) << i;
  }
}

TEST_F(OnDevice, ARenderGoesOnWhereItFailsAndSaysSo) {
  const testing::ScratchFolder folder;
  RenderJob job;
  job.clip = probe(testing::makeFilm(folder / "a.mp4", testing::smallFilm(8)));
  job.encode.codec = Codec::Ffv1;
  job.correction.noise = testing::evenCurve(5, 4);
  job.correction.output = {160, 90};
  const auto rendered = [&](const char* name) {
    job.place.path = folder / name;
    const RenderResult result = renderClip(job);
    EXPECT_EQ(result.written.frames, 8) << name;
    return result.written.note;
  };
  EXPECT_EQ(rendered("processor.mkv"), "");
  for (const int pieces : {-1, 0, 7, 25}) {
    const auto device = Device::open(anyDevice(), pieces);
    const DeviceUse use({device});
    const std::string note = rendered("device.mkv");
    if (pieces < 0)
      EXPECT_EQ(note, "");
    else
      EXPECT_EQ(note, "the device failed (it fails on purpose), so the processor did the rest");
    ClipReader one(probe(folder / "processor.mkv")), other(probe(folder / "device.mkv"));
    while (const auto a = one.next()) {
      const auto b = other.next();
      ASSERT_TRUE(b);
      EXPECT_LE(differenceOf(*a, *b).far, 2e-3) << "frame " << a->index << ", fails after " << pieces;
    }
    EXPECT_FALSE(other.next());
    if (pieces >= 0) EXPECT_EQ(rendered("again.mkv"), "") << "said once";
    std::filesystem::remove(folder / "device.mkv");
    std::filesystem::remove(folder / "again.mkv");
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
