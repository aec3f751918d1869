// The sound of a clip as samples, against what the ffmpeg program decodes.
#include "core/media/sound.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstring>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/media/reader.h"
#include "core/media/writer.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

constexpr int kRate = 48000;

// Two channels of what ffmpeg makes of a clip's sound.
std::vector<float> decodedByFfmpeg(const testing::ScratchFolder& folder, const std::filesystem::path& clip) {
  const auto raw =
      testing::makeWithFfmpeg(folder / "raw.f32", "-i '" + clip.string() + "' -vn -ac 2 -ar 48000 -f f32le");
  const std::string bytes = readFile(raw);
  std::vector<float> samples(bytes.size() / sizeof(float));
  std::memcpy(samples.data(), bytes.data(), samples.size() * sizeof(float));
  return samples;
}

double worst(const std::vector<float>& a, size_t at, const std::vector<float>& b, size_t from, size_t count) {
  double most = 0;
  for (size_t i = 0; i < count; ++i)
    most = std::max(most, std::abs(static_cast<double>(a[at + i]) - static_cast<double>(b[from + i])));
  return most;
}

class SoundAs : public ::testing::TestWithParam<const char*> {
 protected:
  testing::ScratchFolder folder;
  std::filesystem::path clip = testing::makeWithFfmpeg(
      folder / (std::string("clip") + (std::string(GetParam()) == "aac"    ? ".mp4"
                                       : std::string(GetParam()) == "flac" ? ".mkv"
                                                                           : ".mov")),
      std::string("-f lavfi -i testsrc2=s=64x64:r=25:d=3 -f lavfi -i "
                  "\"aevalsrc=0.5*sin(2*PI*(300+200*t)*t)|0.3*sin(2*PI*500*t*t):s=48000:d=3\" "
                  "-c:v mpeg4 -c:a ") +
          GetParam());
};

TEST_P(SoundAs, IsWhatFfmpegDecodesAlsoBehindASeek) {
  const std::vector<float> truth = decodedByFfmpeg(folder, clip);
  SoundReader reader(probe(clip), kRate, 2);
  std::vector<float> samples(2 * kRate);
  ASSERT_TRUE(reader.read(samples));
  EXPECT_LT(worst(samples, 0, truth, 0, samples.size()), 1e-4);
  // In pieces of odd lengths it goes on where it was.
  std::vector<float> piece(2 * 777);
  reader.read(piece);
  EXPECT_LT(worst(piece, 0, truth, samples.size(), piece.size()), 1e-4);
  const int64_t at = kRate * 3 / 2 + 321;
  reader.seek(at);
  std::vector<float> sought(2 * 4800);
  ASSERT_TRUE(reader.read(sought));
  EXPECT_LT(worst(sought, 0, truth, static_cast<size_t>(2 * at), sought.size()), 1e-4);
  // Behind the end there is silence, and that is said.
  reader.seek(kRate * 4);
  EXPECT_FALSE(reader.read(sought));
  for (const float s : sought) EXPECT_EQ(s, 0.0F);
}

INSTANTIATE_TEST_SUITE_P(Codecs, SoundAs, ::testing::Values("pcm_s16le", "aac", "flac"));

TEST(Sound, AClipWithoutSoundSaysSo) {
  const testing::ScratchFolder folder;
  const auto clip = testing::makeWithFfmpeg(folder / "mute.mkv", "-f lavfi -i testsrc2=s=64x64:r=25:d=1");
  try {
    SoundReader(probe(clip), kRate, 2);
    FAIL() << "it has no sound";
  } catch (const Error& error) {
    EXPECT_EQ(error.kind(), ErrorKind::Unreadable);
    EXPECT_NE(error.why().find("none"), std::string::npos);
  }
}

// Silence of the same length, with or without a track in the source.
TEST(Sound, SilenceIsATrackOfTheSameLength) {
  for (const bool loud : {true, false}) {
    const testing::ScratchFolder folder;
    auto settings = testing::smallFilm(20);
    settings.sound = loud;
    const ClipInfo source = probe(testing::makeFilm(folder / "a.mp4", settings));
    EncodeSettings encode;
    encode.sound = Sound::Silent;
    OutputPlace place;
    place.path = folder / ("silent" + outputEnding(source, encode));
    ClipReader reader(source);
    auto frame = reader.next();
    ClipWriter writer(place, source, {0, source.frames}, encode, *frame);
    for (; frame; frame = reader.next()) writer.write(*frame);
    writer.finish();
    const ClipInfo silent = probe(place.path);
    ASSERT_EQ(silent.sound.size(), 1U);
    EXPECT_EQ(silent.frames, source.frames);
    const std::vector<float> samples = decodedByFfmpeg(folder, place.path);
    const double length = static_cast<double>(samples.size()) / 2 / kRate;
    EXPECT_NEAR(length, source.frameTime(source.frames), 0.025);  // a block of AAC
    for (const float s : samples) ASSERT_EQ(s, 0.0F);
  }
}

}  // namespace
}  // namespace glenhaze
