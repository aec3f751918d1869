// The same pictures with the same settings become the same bytes, whatever the memory held before.
#include <gtest/gtest.h>
#include <malloc.h>

#include <set>

#include "core/base/files.h"
#include "core/media/detail/codecs.h"
#include "core/pipeline/render.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

class SameBytes : public ::testing::TestWithParam<Codec> {
 protected:
  // Of a film, or of all pictures in a folder.
  static std::string contents(const std::filesystem::path& path) {
    if (!std::filesystem::is_directory(path)) return readFile(path);
    std::set<std::filesystem::path> pictures;
    for (const auto& entry : std::filesystem::directory_iterator(path)) pictures.insert(entry.path());
    std::string all;
    for (const auto& picture : pictures) all += readFile(picture);
    return all;
  }
  // glibc then fills what it hands out; 0: as it is. Other libraries for memory (the sanitizers’) do not
  // care.
  void TearDown() override { mallopt(M_PERTURB, 0); }
};

// Of a size that is no whole number of blocks, in either direction, and whose rows of blocks fill no
// register.
TEST_P(SameBytes, WhateverMemoryHeld) {
  testing::ScratchFolder folder;
  const auto clip = testing::makeFilm(folder / "a.mkv", testing::smallFilm(12));
  RenderJob job;
  job.clip = probe(clip);
  job.encode.codec = GetParam();
  std::string first;
  for (const int fill : {1, 85, 170, 255}) {
    mallopt(M_PERTURB, fill);
    job.place.path = folder / (std::to_string(fill) + outputEnding(job.clip, job.encode));
    const RenderResult made = renderClip(job, {}, nullptr);
    const std::string bytes = contents(made.written.path);
    if (first.empty()) first = bytes;
    EXPECT_TRUE(bytes == first) << "memory filled with " << fill;
  }
  EXPECT_GT(first.size(), 1000u);
}

INSTANTIATE_TEST_SUITE_P(Codecs, SameBytes,
                         ::testing::Values(Codec::H264, Codec::H265, Codec::ProRes422HQ, Codec::Ffv1,
                                           Codec::Png, Codec::Tiff, Codec::Jpeg),
                         [](const auto& about) { return codecName(about.param); });

}  // namespace
}  // namespace glenhaze
