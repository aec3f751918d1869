// What travels beside the picture arrives with it, or the result says what did not.
#include <gtest/gtest.h>

#include "core/base/files.h"
#include "core/frame/turn.h"
#include "core/media/reader.h"
#include "core/pipeline/render.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;

const std::string kPicture = "-f lavfi -i testsrc2=size=192x112:rate=25:duration=2 ";
const std::string kSound = "-f lavfi -i sine=duration=2 ";
const std::string kH264 = "-pix_fmt yuv420p -c:v libx264 ";

WriteResult render(const fs::path& source, const fs::path& out, Codec codec,
                   const std::optional<FrameRange>& range = {}) {
  RenderJob job;
  job.clip = probe(source);
  job.encode.codec = codec;
  job.range = range;
  job.place.path = out.string() + outputEnding(job.clip, job.encode);
  return renderClip(job).written;
}

// What the ffprobe program says of a file; our own reading has no part in it.
std::string ffprobe(const fs::path& path, const std::string& arguments) {
  const fs::path text = path.string() + ".txt";
  const std::string command =
      "ffprobe -v error " + arguments + " '" + path.string() + "' > '" + text.string() + "' </dev/null";
  if (std::system(command.c_str()) != 0) return "failed: " + command;
  return readFile(text);
}

TEST(CarriedOver, SoundThatTheContainerCannotHoldIsUnpackedAndSaid) {
  const testing::ScratchFolder folder;
  for (const char* codec : {"libopus", "flac"}) {
    const auto clip = testing::makeWithFfmpeg(folder / (std::string(codec) + ".mkv"),
                                              kPicture + kSound + kH264 + "-c:a " + codec);
    const WriteResult result = render(clip, folder / (std::string("out-") + codec), Codec::ProRes422HQ);
    ASSERT_EQ(probe(result.path).sound.size(), 1U) << codec;
    EXPECT_EQ(probe(result.path).sound[0].codec, "pcm_s24le");
    EXPECT_NE(result.note.find("PCM"), std::string::npos) << result.note;
    // Where it fits it stays as it is, and nothing is said.
    EXPECT_TRUE(render(clip, folder / (std::string("kept-") + codec), Codec::Ffv1).note.empty());
  }
}

TEST(CarriedOver, HowBrightAnHdrPictureWasMeant) {
  const testing::ScratchFolder folder;
  const auto clip = testing::makeWithFfmpeg(
      folder / "hdr.mp4",
      kPicture +
          "-pix_fmt yuv420p10le -c:v libx265 -x265-params "
          "log-level=error:hdr10=1:repeat-headers=1:colorprim=bt2020:"
          "transfer=smpte2084:colormatrix=bt2020nc:max-cll=1000,400:"
          "master-display='G(13250,34500)B(7500,3000)R(34000,16000)WP(15635,16450)L(10000000,50)'");
  const HdrTags source = readFrame(probe(clip), 0).hdr;
  ASSERT_TRUE(source.display);
  EXPECT_NEAR((*source.display)[0], 0.68, 1e-6);
  EXPECT_NEAR((*source.display)[9], 1000, 1e-3);
  EXPECT_EQ(source.light, (std::array{1000, 400}));
  for (const Codec codec : {Codec::H264, Codec::H265, Codec::ProRes422HQ, Codec::Ffv1}) {
    const WriteResult result = render(clip, folder / codecName(codec), codec);
    const std::string said = ffprobe(result.path, "-show_streams -show_frames -read_intervals %+#1");
    EXPECT_NE(said.find("max_content=1000"), std::string::npos) << codecName(codec);
    EXPECT_NE(said.find("max_luminance="), std::string::npos) << codecName(codec);
    if (codec != Codec::H265) continue;
    const HdrTags back = readFrame(probe(result.path), 0).hdr;
    ASSERT_TRUE(back.display);
    for (size_t i = 0; i < 10; ++i) EXPECT_NEAR((*back.display)[i], (*source.display)[i], 1e-4) << i;
  }
}

// A matrix that mirrors, put where MP4 keeps it (ISO/IEC 14496-12, "tkhd": 44 bytes behind the box's name).
void setMatrix(const fs::path& path, const std::array<int, 4>& abcd) {
  std::string bytes = readFile(path);
  const size_t at = bytes.find("tkhd");
  ASSERT_NE(at, std::string::npos);
  const auto put = [&](size_t place, int value) {
    const auto v = static_cast<uint32_t>(value * 65536);
    for (size_t k = 0; k < 4; ++k) bytes[at + 44 + 4 * place + k] = static_cast<char>(v >> (24 - 8 * k));
  };
  put(0, abcd[0]);
  put(1, abcd[1]);
  put(3, abcd[2]);
  put(4, abcd[3]);
  writeFileAtomically(path, bytes);
}

TEST(CarriedOver, TurnedAndMirroredPicturesLookTheSame) {
  const testing::ScratchFolder folder;
  struct Case {
    std::array<int, 4> matrix;  // a b c d: (x, y) goes to (a·x + c·y, b·x + d·y)
    int rotation;
    bool mirrored;
  };
  for (const Case& c :
       {Case{{-1, 0, 0, 1}, 0, true}, Case{{1, 0, 0, -1}, 180, true}, Case{{0, 1, -1, 0}, 90, false},
        Case{{0, 1, 1, 0}, 90, true}, Case{{0, -1, -1, 0}, 270, true}, Case{{-1, 0, 0, -1}, 180, false}}) {
    const auto path = testing::makeWithFfmpeg(folder / "in.mp4", kPicture + kH264);
    setMatrix(path, c.matrix);
    const ClipInfo clip = probe(path);
    // By hand: where each corner of the stored picture is shown.
    EXPECT_EQ(clip.mirrored, c.mirrored);
    EXPECT_EQ(clip.rotation, c.rotation) << c.matrix[0] << c.matrix[1] << c.matrix[2] << c.matrix[3];
    const Frame stored = readFrame(clip, 3);
    const Frame shown = turnedFrame(stored, clip.rotation, clip.mirrored);
    const int w = stored.width - 1, h = stored.height - 1;
    for (const auto& [x, y] : {std::pair{0, 0}, {w, 0}, {0, h}, {w, h}, {7, 3}}) {
      int sx = c.matrix[0] * x + c.matrix[2] * y, sy = c.matrix[1] * x + c.matrix[3] * y;
      if (sx < 0 || c.matrix[0] < 0 || c.matrix[2] < 0) sx += shown.width - 1;
      if (sy < 0 || c.matrix[1] < 0 || c.matrix[3] < 0) sy += shown.height - 1;
      EXPECT_EQ(shown.planes[0].at(sx, sy, 1), stored.planes[0].at(x, y, 1)) << x << "," << y;
    }
    const ClipInfo tagged = probe(render(path, folder / "tagged", Codec::H264).path);
    EXPECT_EQ(tagged.rotation, clip.rotation);
    EXPECT_EQ(tagged.mirrored, clip.mirrored);
    const WriteResult upright = render(path, folder / "upright", Codec::Ffv1);
    EXPECT_TRUE(sameSamples(readFrame(probe(upright.path), 3), shown));
    EXPECT_NE(upright.note.find("upright"), std::string::npos);
    for (const char* name : {"tagged.mp4", "upright.mkv"}) fs::remove(folder / name);
  }
}

TEST(CarriedOver, ChaptersMoveWithTheInPoint) {
  const testing::ScratchFolder folder;
  writeFileAtomically(folder / "chapters.txt",
                      ";FFMETADATA1\n[CHAPTER]\nTIMEBASE=1/1000\nSTART=0\nEND=1000\ntitle=First\n"
                      "[CHAPTER]\nTIMEBASE=1/1000\nSTART=1000\nEND=2000\ntitle=Second\n");
  const auto clip =
      testing::makeWithFfmpeg(folder / "in.mp4", kPicture + "-i '" + (folder / "chapters.txt").string() +
                                                     "' -map_metadata 1 " + kH264);
  const std::string all = ffprobe(render(clip, folder / "all", Codec::H264).path, "-show_chapters");
  EXPECT_NE(all.find("First"), std::string::npos);
  EXPECT_NE(all.find("Second"), std::string::npos);
  const std::string later =
      ffprobe(render(clip, folder / "later", Codec::H264, FrameRange{30, 45}).path, "-show_chapters");
  EXPECT_EQ(later.find("First"), std::string::npos);
  EXPECT_NE(later.find("start_time=0.000000"), std::string::npos) << later;
}

TEST(CarriedOver, ACoverPictureIsNamed) {
  const testing::ScratchFolder folder;
  testing::makeWithFfmpeg(folder / "cover.png", "-f lavfi -i color=red:size=32x32 -frames:v 1");
  const auto clip = testing::makeWithFfmpeg(
      folder / "in.mp4", kPicture + "-i '" + (folder / "cover.png").string() + "' -map 0 -map 1 " + kH264 +
                             "-c:v:1 png -disposition:v:1 attached_pic");
  EXPECT_NE(render(clip, folder / "a", Codec::H264).note.find("cover picture"), std::string::npos);
}

TEST(CarriedOver, TransparencyAndBitsThatAreLostAreSaid) {
  const testing::ScratchFolder folder;
  const auto clear = testing::makeWithFfmpeg(folder / "a.png",
                                             "-f lavfi -i color=red@0.5:size=32x32,format=rgba -frames:v 1");
  EXPECT_NE(render(clear, folder / "clear", Codec::Png).note.find("transparency"), std::string::npos);
  const auto deep =
      testing::makeWithFfmpeg(folder / "b.mkv", kPicture + "-pix_fmt yuv422p12le -c:v ffv1 -level 3");
  EXPECT_NE(render(deep, folder / "ten", Codec::H265).note.find("12 bits became 10"), std::string::npos);
  EXPECT_TRUE(render(deep, folder / "all", Codec::Ffv1).note.empty());
}

TEST(CarriedOver, NamesUpToTheFileSystemsLimitWorkAndLongerOnesAreSaid) {
  const testing::ScratchFolder folder;
  const auto clip = testing::makeWithFfmpeg(folder / "in.mp4", kPicture + kH264);
  const std::string longest(251, 'n');
  EXPECT_TRUE(fs::exists(render(clip, folder / longest, Codec::H264).path));
  try {
    render(clip, folder / (longest + "n"), Codec::H264);
    FAIL();
  } catch (const Error& error) {
    EXPECT_NE(std::string(error.what()).find("too long"), std::string::npos) << error.what();
  }
}

}  // namespace
}  // namespace glenhaze
