#include "core/media/detail/lean_input.h"

#include <gtest/gtest.h>

#include <fstream>
#include <string>
#include <vector>

#include "core/media/clip_info.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

namespace fs = std::filesystem;
using testing::makeWithFfmpeg;

struct Stamp {
  int64_t pts, duration;
  bool operator==(const Stamp&) const = default;
};

std::vector<Stamp> stampsOf(AVFormatContext& input, int video) {
  std::vector<Stamp> stamps;
  auto packet = detail::makePacket();
  while (av_read_frame(&input, packet.get()) >= 0) {
    if (packet->stream_index == video) stamps.push_back({packet->pts, packet->duration});
    av_packet_unref(packet.get());
  }
  return stamps;
}

// Bytes that this process has asked the system for, whoever asked (proc(5), "rchar").
int64_t bytesRead() {
  std::ifstream io("/proc/self/io");
  std::string name;
  int64_t value = -1;
  while (io >> name >> value)
    if (name == "rchar:") return value;
  return -1;
}

struct FileKind {
  const char* name;
  const char* ending;
  const char* arguments;
};
void PrintTo(const FileKind& k, std::ostream* out) { *out << k.name; }

// Constant bit rate with filler: large packets that cost nothing to make.
constexpr const char* kFilledUp =
    "-c:v libx264 -preset ultrafast -bf 2 -g 24 -x264-params nal-hrd=cbr:filler=1 "
    "-b:v 100M -maxrate 100M -bufsize 100M";
constexpr const char* kMoving = "-f lavfi -i testsrc2=size=192x112:rate=25:duration=";
constexpr const char* kTone = " -f lavfi -i sine=duration=";

class LeanInput : public ::testing::TestWithParam<FileKind> {};
INSTANTIATE_TEST_SUITE_P(
    Containers, LeanInput,
    ::testing::Values(
        FileKind{"Mp4", ".mp4", kFilledUp}, FileKind{"Mov", ".mov", "-c:v prores_ks"},
        FileKind{"Mp4IndexInFront", ".mp4", "-c:v libx264 -bf 3 -g 24 -crf 5 -movflags faststart"},
        FileKind{"Mp4Fragments", ".mp4",
                 "-c:v libx264 -bf 2 -g 24 -crf 5 -movflags frag_keyframe+empty_moov"},
        FileKind{"Matroska", ".mkv", kFilledUp}, FileKind{"WebM", ".webm", "-c:v libvpx -b:v 20M"},
        FileKind{"MatroskaSmallPackets", ".mkv", "-c:v libx264 -bf 2 -crf 45"},
        FileKind{"AviMjpeg", ".avi", "-c:v mjpeg -q:v 2"},
        FileKind{"Mp4Hevc", ".mp4", "-c:v libx265 -x265-params log-level=error:bframes=4 -crf 10"}),
    [](const auto& info) { return std::string(info.param.name); });

TEST_P(LeanInput, TimeStampsAreTheSameAsWithThePictures) {
  const testing::ScratchFolder folder;
  const auto path = makeWithFfmpeg(folder / ("clip" + std::string(GetParam().ending)),
                                   std::string(kMoving) + "3" + kTone + "3 -pix_fmt " +
                                       (std::string(GetParam().name) == "Mov"        ? "yuv422p10le "
                                        : std::string(GetParam().name) == "AviMjpeg" ? "yuvj420p "
                                                                                     : "yuv420p ") +
                                       GetParam().arguments);
  const auto full = detail::openInput(path);
  const int video = detail::findVideo(*full);
  ASSERT_TRUE(detail::LeanInput::serves(*full, video));
  const auto lean = detail::LeanInput::open(path, *full, 64);
  ASSERT_NE(lean, nullptr);
  const auto expected = stampsOf(*full, video);
  ASSERT_GE(expected.size(), 70U);
  EXPECT_EQ(stampsOf(lean->format(), video), expected);
}

class LeanProbe : public ::testing::TestWithParam<FileKind> {};
INSTANTIATE_TEST_SUITE_P(Containers, LeanProbe,
                         ::testing::Values(FileKind{"Mp4", ".mp4", kFilledUp},
                                           FileKind{"Matroska", ".mkv", kFilledUp}),
                         [](const auto& info) { return std::string(info.param.name); });

TEST_P(LeanProbe, ReadsUnderATwentiethOfALargeFile) {
  const testing::ScratchFolder folder;
  const auto path = makeWithFfmpeg(folder / ("large" + std::string(GetParam().ending)),
                                   std::string(kMoving) + "17 -pix_fmt yuv420p " + GetParam().arguments);
  ASSERT_GT(fs::file_size(path), 200'000'000U);
  const int64_t before = bytesRead();
  if (before < 0) GTEST_SKIP() << "the system does not count what is read";
  const ClipInfo info = probe(path);
  const int64_t read = bytesRead() - before;
  EXPECT_TRUE(info.readable());
  EXPECT_EQ(info.frames, 17 * 25);
  EXPECT_LT(read, static_cast<int64_t>(fs::file_size(path)) / 20);
}

// Transport streams have no index, and codecs that store frames out of order need their parser in AVI: these
// are read as a whole.
TEST(LeanInputServes, OnlyWhereTheContainerKnowsTheTimesItself) {
  const testing::ScratchFolder folder;
  for (const auto& [name, arguments] :
       {std::pair{"a.ts", "-c:v libx264 -bf 2"}, std::pair{"a.avi", "-c:v mpeg4 -bf 2"}}) {
    const auto path = makeWithFfmpeg(folder / name, std::string(kMoving) + "1 -pix_fmt yuv420p " + arguments);
    const auto full = detail::openInput(path);
    EXPECT_FALSE(detail::LeanInput::serves(*full, detail::findVideo(*full))) << name;
    EXPECT_EQ(probe(path).frames, 25) << name;
  }
}

}  // namespace
}  // namespace glenhaze
