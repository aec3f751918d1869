#include "core/base/unwritten.h"

#include <gtest/gtest.h>

#include <cstdint>
#include <new>
#include <numeric>

namespace glenhaze {
namespace {

TEST(Unwritten, CopiesAreOfTheirOwnAndMovedOnesKeepWhatWasWritten) {
  Unwritten<int> first(5);
  std::iota(first.begin(), first.end(), 7);
  Unwritten<int> copy = first;
  copy[0] = 0;
  EXPECT_EQ(first[0], 7);
  EXPECT_EQ(copy[4], 11);
  const int* memory = first.data();
  const Unwritten<int> moved = std::move(first);
  EXPECT_EQ(moved.data(), memory);
  EXPECT_EQ(moved.size(), 5U);
  copy = moved;
  EXPECT_EQ(copy[0], 7);
}

TEST(Unwritten, SmallerSizesKeepTheMemory) {
  Unwritten<int16_t> array(1000);
  const int16_t* memory = array.data();
  array.resize(10);
  EXPECT_EQ(array.size(), 10U);
  array.resize(1000);
  EXPECT_EQ(array.data(), memory);
  array.resize(0);
  EXPECT_TRUE(array.empty());
}

TEST(Unwritten, MoreThanThereIsLeavesNothing) {
  Unwritten<int> array(10);
  EXPECT_THROW(array.resize(SIZE_MAX / 8), std::bad_alloc);
  EXPECT_TRUE(array.empty());
  EXPECT_NO_THROW(array.resize(10));
  array[9] = 1;
  EXPECT_EQ(array[9], 1);
}

}  // namespace
}  // namespace glenhaze
