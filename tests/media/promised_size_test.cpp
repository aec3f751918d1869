#include "core/media/detail/promised_size.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <fstream>
#include <iterator>
#include <vector>

#include "core/media/clip_info.h"
#include "tests/support/footage.h"

namespace glenhaze::detail {
namespace {

namespace fs = std::filesystem;
using Bytes = std::vector<unsigned char>;

Bytes headOf(const fs::path& path) {
  std::ifstream file(path, std::ios::binary);
  Bytes bytes(256);
  file.read(reinterpret_cast<char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
  return bytes;
}

class WholeFiles : public ::testing::TestWithParam<std::pair<const char*, const char*>> {};
INSTANTIATE_TEST_SUITE_P(PromisedSize, WholeFiles,
                         ::testing::Values(std::pair{"a.mkv", "-c:v libx264"},
                                           std::pair{"a.webm", "-c:v libvpx"},
                                           std::pair{"a.avi", "-c:v mjpeg -pix_fmt yuvj420p"}));

TEST_P(WholeFiles, SayHowLongTheyAre) {
  const testing::ScratchFolder folder;
  const auto path = testing::makeWithFfmpeg(
      folder / GetParam().first,
      std::string("-f lavfi -i testsrc2=size=192x112:rate=25:duration=2 ") + GetParam().second);
  const char* format = path.extension() == ".avi" ? "avi" : "matroska,webm";
  EXPECT_EQ(promisedSize(headOf(path), format), static_cast<int64_t>(fs::file_size(path)));
}

// A copy that was broken off, or a card that was full: the container reads on without complaint.
TEST_P(WholeFiles, CutOffInTheMiddleAreSaidToBe) {
  const testing::ScratchFolder folder;
  const auto path = testing::makeWithFfmpeg(
      folder / GetParam().first,
      std::string("-f lavfi -i testsrc2=size=192x112:rate=25:duration=4 ") + GetParam().second);
  ASSERT_TRUE(probe(path).readable());
  fs::resize_file(path, fs::file_size(path) / 2);
  const ClipInfo cut = probe(path);
  EXPECT_FALSE(cut.readable());
  EXPECT_TRUE(std::any_of(cut.problems.begin(), cut.problems.end(),
                          [](const ClipProblem& p) { return p.kind == ClipProblem::Kind::Truncated; }));
  // What is there can still be had.
  EXPECT_TRUE(cut.readable(Damage::Hold));
  EXPECT_GT(cut.frames, 30);
  EXPECT_LT(cut.frames, 90);
}

// RFC 9559, the Segment's ID; RFC 8794, the coding of sizes.
TEST(PromisedSize, OfASegment) {
  const Bytes ebml = {0x1A, 0x45, 0xDF, 0xA3, 0x82, 0x00, 0x00};  // a header of two bytes
  Bytes known = ebml;
  for (const int b : {0x18, 0x53, 0x80, 0x67, 0x41, 0x00}) known.push_back(static_cast<unsigned char>(b));
  EXPECT_EQ(promisedSize(known, "matroska,webm"), 7 + 6 + 256);
  Bytes recording = ebml;
  for (const int b : {0x18, 0x53, 0x80, 0x67, 0x01, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF, 0xFF})
    recording.push_back(static_cast<unsigned char>(b));
  EXPECT_EQ(promisedSize(recording, "matroska,webm"), std::nullopt);
}

TEST(PromisedSize, NothingOfNonsenseOrOfOtherContainers) {
  const Bytes zeros(256, 0), ones(256, 0xFF);
  for (const char* format : {"matroska,webm", "avi", "mov,mp4,m4a,3gp,3g2,mj2"})
    for (const Bytes& bytes : {zeros, ones, Bytes{}}) EXPECT_EQ(promisedSize(bytes, format), std::nullopt);
  for (size_t length = 0; length < 12; ++length) {
    const Bytes all = {0x1A, 0x45, 0xDF, 0xA3, 0x82, 0, 0, 0x18, 0x53, 0x80, 0x67, 0x41};
    EXPECT_EQ(promisedSize(std::span(all).first(length), "matroska,webm"), std::nullopt) << length;
  }
}

}  // namespace
}  // namespace glenhaze::detail
