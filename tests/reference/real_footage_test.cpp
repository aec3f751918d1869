// Footage that real devices made: the phone clip of Debian's forensics-samples-files and vtest.avi of
// Debian's opencv-doc. Installed for tests, not committed.
#include <gtest/gtest.h>

#include "core/pipeline/render.h"
#include "tests/support/footage.h"

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

}  // namespace
}  // namespace glenhaze
