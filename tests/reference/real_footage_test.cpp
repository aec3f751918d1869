// Footage that real devices made: the phone clip of Debian's forensics-samples-files and vtest.avi of
// Debian's opencv-doc. Installed for tests, not committed.
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include "core/finish/flicker.h"
#include "core/motion/self_calibration.h"
#include "core/pipeline/render.h"
#include "core/run/batch.h"
#include "tests/support/footage.h"
#include "tests/support/steadiness.h"

namespace glenhaze {
namespace {

void runThrough(const std::filesystem::path& path, int64_t frames, bool sound) {
  if (!std::filesystem::exists(path)) GTEST_SKIP() << path << " is not installed";
  const testing::ScratchFolder folder;
  const ClipInfo clip = probe(path);
  ASSERT_TRUE(clip.readable());
  EXPECT_EQ(!clip.sound.empty(), sound);
  RenderJob job;
  job.clip = clip;
  Lens lens = straightLens(clip.width, clip.height, 0.8 * clip.width);
  lens.k[0] = -0.1;
  job.correction.lens = lens;
  job.range = FrameRange{0, std::min<int64_t>(frames, clip.frames)};
  job.place.path = (folder / "out").string() + outputEnding(clip, job.encode);
  renderClip(job);
  const ClipInfo out = probe(job.place.path);
  EXPECT_EQ(out.frames, job.range->count());
  EXPECT_EQ(!out.sound.empty(), sound);
  EXPECT_EQ(out.width, clip.width);
  // Seeking lands on the frame that reading through gives, in a stranger's file too.
  ClipReader reader(clip);
  std::optional<Frame> eleventh;
  for (int i = 0; i < 11; ++i) eleventh = reader.next();
  ASSERT_TRUE(eleventh);
  EXPECT_TRUE(sameSamples(*eleventh, readFrame(clip, 10)));
}

TEST(RealFootage, PhoneClip) {
  runThrough("/usr/share/forensics-samples/original-files/movie1/VID_20191220_170832.mp4", 15, true);
}
TEST(RealFootage, SurveillanceClip) {
  runThrough("/usr/share/doc/opencv-doc/examples/data/vtest.avi", 30, false);
}

// People pass all the time, and nothing there is a lamp that flickers.
TEST(RealFootage, NobodyWhoPassesIsALamp) {
  const std::filesystem::path path = "/usr/share/doc/opencv-doc/examples/data/vtest.avi";
  if (!std::filesystem::exists(path)) GTEST_SKIP() << path << " is not installed";
  EXPECT_TRUE(measureFlicker(probe(path)).lamps.empty());
}

/// Tracks of a clip that is installed, for several tests.
TrackRecord tracksOf(const ClipInfo& clip, const testing::ScratchFolder& folder) {
  const TrackPlace place{folder / (clip.path.stem().string() + ".tracks"), clip.path.filename().string()};
  testing::rememberedFilm(place.file, "tracks " + place.key, [&](const std::filesystem::path& to) {
    saveTracks(trackClip(clip, {}), {to, place.key});
  });
  return loadTracks(place).value();
}

struct ByItself {
  double before_px = 0, after_px = 0;  // shake by the independent meter
  RunItem item;
};

// A clip that nothing is known of, steadied as it is, and cleaned.
ByItself treatedByItself(const std::filesystem::path& path, const testing::ScratchFolder& folder,
                         const std::optional<StabilizationSettings>& settings = {}, bool cleaned = true) {
  Shoot shoot;
  shoot.output.folder = folder / "out";
  shoot.output.noise_on = cleaned;
  // Without loss: how steady it is must not hang on how it was coded.
  shoot.output.encode.codec = Codec::Ffv1;
  ShootClip clip;
  clip.path = path;
  clip.by_itself = true;
  clip.hold_damage = true;
  clip.stabilization = settings;
  shoot.clips.push_back(clip);
  const std::vector<ClipInfo> infos{probe(path)};
  Batch batch(planShoot(shoot, infos, {}), Replace::Nothing);
  batch.run({});
  ByItself result;
  result.item = batch.items().front();
  if (result.item.state != RunState::Done) return result;
  const double fps = infos[0].fps.value();
  result.before_px = testing::steadinessOf(tracksOf(infos[0], folder), fps).shake_px;
  result.after_px =
      testing::steadinessOf(trackClip(probe(result.item.plan->job.place.path), {}), fps).shake_px;
  std::printf("  %s: shake %.2f to %.2f px; %s\n", path.filename().c_str(), result.before_px, result.after_px,
              result.item.why.c_str());
  return result;
}

TEST(RealFootage, PhoneClipOfNoKnownCameraIsSteadied) {
  const std::filesystem::path path =
      "/usr/share/forensics-samples/original-files/movie1/VID_20191220_170832.mp4";
  if (!std::filesystem::exists(path)) GTEST_SKIP() << path << " is not installed";
  const testing::ScratchFolder folder;
  const ByItself result = treatedByItself(path, folder);
  ASSERT_EQ(result.item.state, RunState::Done) << result.item.why;
  EXPECT_LT(result.after_px, 0.5 * result.before_px);
}

/// A packed clip of opencv-doc, laid out in `folder`; empty where the package is not installed.
std::filesystem::path unpacked(const char* name, const testing::ScratchFolder& folder) {
  const std::filesystem::path packed = std::string("/usr/share/doc/opencv-doc/opencv4/html/") + name + ".gz";
  if (!std::filesystem::exists(packed)) return {};
  const std::filesystem::path film = folder / name;
  if (std::system(("zcat " + packed.string() + " > " + film.string()).c_str()) != 0) return {};
  return film;
}

/// Shake of a place in a film, px: by the tracks of that place alone.
double shakeOfPlace(const std::filesystem::path& film, const std::string& place,
                    const testing::ScratchFolder& folder) {
  const auto cut = testing::makeWithFfmpeg(folder / "place.mkv",
                                           "-i " + film.string() + " -vf crop=" + place + " -c:v ffv1");
  const ClipInfo info = probe(cut);
  return testing::steadinessOf(trackClip(info, {}), info.fps.value()).shake_px;
}

// A cup is waved before a bare wall that the camera, held by hand, looks at: most of what can be followed is
// the cup and the arm. The wall is the scene. (It has scratches low in the middle.)
TEST(RealFootage, TheWallBehindAWavedCupIsSteadied) {
  const testing::ScratchFolder folder;
  const auto film = unpacked("cup.mp4", folder);
  if (film.empty()) GTEST_SKIP() << "opencv-doc is not installed";
  const std::string scratches = "220:80:190:400";
  const ByItself result = treatedByItself(film, folder);
  ASSERT_EQ(result.item.state, RunState::Done) << result.item.why;
  const double before_px = shakeOfPlace(film, scratches, folder),
               after_px = shakeOfPlace(result.item.plan->job.place.path, scratches, folder);
  std::printf("  the wall: %.2f to %.2f px\n", before_px, after_px);
  EXPECT_LT(after_px, 0.35 * before_px);
  EXPECT_THAT(result.item.why, ::testing::HasSubstr("the scene behind it is steadied"));
  // The cup is near, for whoever wants it to hold still.
  StabilizationSettings near;
  near.part = SteadiedPart::Near;
  near.crop_limit = 0.3;
  const testing::ScratchFolder other;
  const ByItself steadier = treatedByItself(film, other, near, false);
  ASSERT_EQ(steadier.item.state, RunState::Done) << steadier.item.why;
  EXPECT_LT(steadier.after_px, 0.45 * steadier.before_px);
}

// A box is shown to a camera that stands. Two frames of the file cannot be built.
TEST(RealFootage, ACameraThatStandsBehindAShownBoxIsLeftStanding) {
  const testing::ScratchFolder folder;
  const auto film = unpacked("box.mp4", folder);
  if (film.empty()) GTEST_SKIP() << "opencv-doc is not installed";
  RenderJob job;
  job.clip = probe(film);
  job.place.path = (folder / "out.mkv").string();
  try {
    renderClip(job);
    FAIL() << "frames are missing";
  } catch (const Error& error) {
    EXPECT_THAT(error.what(), ::testing::HasSubstr("frames 2 to 3 cannot be read"));
  }
  const std::string door = "130:280:500:40";
  const ByItself result = treatedByItself(film, folder, {}, false);
  ASSERT_EQ(result.item.state, RunState::Done) << result.item.why;
  const double before_px = shakeOfPlace(film, door, folder),
               after_px = shakeOfPlace(result.item.plan->job.place.path, door, folder);
  std::printf("  the door: %.2f to %.2f px\n", before_px, after_px);
  EXPECT_LT(after_px, before_px + 0.1);
  EXPECT_THAT(result.item.why, ::testing::HasSubstr("hardly any shake"));
  EXPECT_THAT(result.item.why, ::testing::HasSubstr("2 frames could not be read"));
}

// None of them turns enough about where the camera stands.
TEST(RealFootage, NoLensIsMadeUp) {
  const std::filesystem::path phone =
      "/usr/share/forensics-samples/original-files/movie1/VID_20191220_170832.mp4";
  const testing::ScratchFolder folder;
  const auto cup = unpacked("cup.mp4", folder), box = unpacked("box.mp4", folder);
  if (cup.empty() || box.empty() || !std::filesystem::exists(phone))
    GTEST_SKIP() << "the clips are not installed";
  for (const std::filesystem::path& path :
       {phone, cup, box, std::filesystem::path("/usr/share/doc/opencv-doc/examples/data/vtest.avi")}) {
    const ClipInfo clip = probe(path);
    const FootageLens found = measureLensFrom(tracksOf(clip, folder), 1 / clip.fps.value(), codingOf(clip));
    EXPECT_FALSE(found.usable) << path;
    EXPECT_FALSE(found.why.empty());
  }
}

// The camera stands, people walk through the picture: it stays as it is.
TEST(RealFootage, AStandingCameraIsLeftStanding) {
  const std::filesystem::path path = "/usr/share/doc/opencv-doc/examples/data/vtest.avi";
  if (!std::filesystem::exists(path)) GTEST_SKIP() << path << " is not installed";
  const testing::ScratchFolder folder;
  const auto film =
      testing::makeWithFfmpeg(folder / "short.mkv", "-i " + path.string() + " -frames:v 60 -c copy");
  const ByItself result = treatedByItself(film, folder);
  ASSERT_EQ(result.item.state, RunState::Done) << result.item.why;
  EXPECT_LT(result.before_px, 0.1);
  EXPECT_LT(result.after_px, 0.1);
}

}  // namespace
}  // namespace glenhaze
