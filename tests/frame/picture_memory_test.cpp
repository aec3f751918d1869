#include "core/frame/picture_memory.h"

#include <gtest/gtest.h>

#include <thread>
#include <vector>

#include "core/frame/frame.h"

namespace glenhaze {
namespace {

constexpr size_t kLarge = 5'000'000;

TEST(PictureMemory, WhatIsGivenBackIsTakenByTheNextOfItsSize) {
  void* first = nullptr;
  {
    const auto memory = pictureMemory(kLarge);
    first = memory.get();
    EXPECT_EQ(reinterpret_cast<uintptr_t>(first) % 64, 0U);
  }
  const size_t kept = keptPictureMemory();
  EXPECT_GE(kept, kLarge);
  const auto other = pictureMemory(kLarge + 64);
  EXPECT_NE(other.get(), first) << "of another size";
  EXPECT_EQ(keptPictureMemory(), kept);
  const auto again = pictureMemory(kLarge);
  EXPECT_EQ(again.get(), first);
  EXPECT_EQ(keptPictureMemory(), kept - kLarge);
  EXPECT_NE(pictureMemory(kLarge).get(), first) << "nobody gets what another one holds";
}

TEST(PictureMemory, NoMoreIsKeptThanIsSaid) {
  {
    std::vector<std::shared_ptr<void>> all;
    for (int i = 0; i < 30; ++i) all.push_back(pictureMemory(kLarge));
  }
  EXPECT_LE(keptPictureMemory(), kKeptPictureMemory);
  EXPECT_GT(keptPictureMemory(), kKeptPictureMemory - kLarge);
  // One that is larger than all that may be kept is let go of, and the others stay.
  const size_t kept = keptPictureMemory();
  pictureMemory(2 * kKeptPictureMemory);
  EXPECT_EQ(keptPictureMemory(), kept);
}

TEST(PictureMemory, BytesGiveTheirsBackBeforeTheyTakeOthers) {
  PictureBytes bytes;
  bytes.resize(kLarge);
  const uint8_t* first = bytes.data();
  bytes.resize(kLarge);
  EXPECT_EQ(bytes.data(), first);
  EXPECT_EQ(bytes.size(), kLarge);
  const PictureBytes shared = bytes;
  bytes.resize(kLarge);
  EXPECT_NE(bytes.data(), first) << "somebody else holds them";
  EXPECT_EQ(shared.data(), first);
}

TEST(PictureMemory, SmallOnesAreNotKept) {
  const size_t before = keptPictureMemory();
  makeFrame(64, 36, {});
  EXPECT_EQ(keptPictureMemory(), before);
}

// Threads take and give back beside each other, and what one writes nobody else overwrites.
TEST(PictureMemory, ServesSeveralThreads) {
  std::vector<int> spoilt(4, 0);
  {
    std::vector<std::jthread> threads;
    for (size_t t = 0; t < spoilt.size(); ++t)
      threads.emplace_back([t, &spoilt] {
        for (int i = 0; i < 200; ++i) {
          const auto memory = pictureMemory(kLarge);
          auto* values = static_cast<int*>(memory.get());
          const int mine = static_cast<int>(t) * 1000 + i;
          values[0] = values[kLarge / sizeof(int) - 1] = mine;
          std::this_thread::yield();
          spoilt[t] += values[0] != mine || values[kLarge / sizeof(int) - 1] != mine ? 1 : 0;
        }
      });
  }
  EXPECT_EQ(spoilt, std::vector<int>(4, 0));
}

}  // namespace
}  // namespace glenhaze
