#include "desktop/picture_cache.h"

#include <gtest/gtest.h>

#include <thread>
#include <vector>

namespace glenhaze::desktop {
namespace {

std::shared_ptr<const void> picture(int value) { return std::make_shared<const int>(value); }
int valueOf(const std::shared_ptr<const void>& p) { return *std::static_pointer_cast<const int>(p); }

TEST(PictureCache, GivesBackWhatWasPutIn) {
  PictureCache cache(100);
  const int a = cache.newOwner(), b = cache.newOwner();
  cache.put(a, 7, picture(1), 10);
  cache.put(b, 7, picture(2), 10);
  ASSERT_TRUE(cache.find(a, 7));
  EXPECT_EQ(valueOf(cache.find(a, 7)), 1);
  EXPECT_EQ(valueOf(cache.find(b, 7)), 2);
  EXPECT_FALSE(cache.find(a, 8));
  EXPECT_EQ(cache.used(), 20U);
}

TEST(PictureCache, WhatWasLookedAtLongestAgoGoesFirstWhosesoeverItIs) {
  PictureCache cache(30);
  const int a = cache.newOwner(), b = cache.newOwner();
  cache.put(a, 1, picture(1), 10);
  cache.put(b, 1, picture(2), 10);
  cache.put(a, 2, picture(3), 10);
  EXPECT_TRUE(cache.find(a, 1));  // looked at: younger than b's now
  cache.put(a, 3, picture(4), 10);
  EXPECT_FALSE(cache.contains(b, 1));
  EXPECT_TRUE(cache.contains(a, 1) && cache.contains(a, 2) && cache.contains(a, 3));
  EXPECT_LE(cache.used(), 30U);
}

TEST(PictureCache, HoldsItsBudgetWhenThatShrinks) {
  PictureCache cache(100);
  const int a = cache.newOwner();
  for (int i = 0; i < 10; ++i) cache.put(a, i, picture(i), 10);
  cache.setBudget(35);
  EXPECT_EQ(cache.used(), 30U);
  EXPECT_TRUE(cache.contains(a, 9));
  EXPECT_FALSE(cache.contains(a, 0));
  // Larger than all of it: not kept, and nothing goes for it.
  cache.put(a, 99, picture(99), 36);
  EXPECT_FALSE(cache.contains(a, 99));
  EXPECT_EQ(cache.used(), 30U);
}

TEST(PictureCache, CountsAndForgetsByOwner) {
  PictureCache cache(1000);
  const int a = cache.newOwner(), b = cache.newOwner();
  for (const int64_t i : {-3, 2, 5, 9}) cache.put(a, i, picture(0), 10);
  cache.put(b, 5, picture(0), 7);
  EXPECT_EQ(cache.count(a, 2, 9), 2);
  EXPECT_EQ(cache.count(a, 9, 2), 0);
  EXPECT_EQ(cache.usedBy(a), 40U);
  EXPECT_EQ(cache.next(a, 3), 5);
  EXPECT_EQ(cache.next(a, 10), std::nullopt);
  cache.forget(a);
  EXPECT_EQ(cache.usedBy(a), 0U);
  EXPECT_EQ(cache.used(), 7U);
  EXPECT_TRUE(cache.contains(b, 5));
}

TEST(PictureCache, SeveralThreadsAtOnceKeepItsBudget) {
  PictureCache cache(200);
  {
    std::vector<std::jthread> threads;
    for (int t = 0; t < 4; ++t)
      threads.emplace_back([&cache] {
        const int owner = cache.newOwner();
        for (int i = 0; i < 2000; ++i) {
          cache.put(owner, i, picture(i), 10);
          if (const auto p = cache.find(owner, i)) EXPECT_EQ(valueOf(p), i);
          if (i % 100 == 0) cache.forget(owner);
        }
      });
  }
  EXPECT_LE(cache.used(), 200U);
}

TEST(PictureCache, TheUsualBudgetIsBetweenAQuarterAndTwoGigabytes) {
  EXPECT_GE(PictureCache::usualBudget(), 256ULL << 20);
  EXPECT_LE(PictureCache::usualBudget(), 2ULL << 30);
}

}  // namespace
}  // namespace glenhaze::desktop
