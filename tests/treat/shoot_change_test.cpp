#include "core/treat/shoot_change.h"

#include <gtest/gtest.h>

#include <random>

namespace glenhaze {
namespace {

Shoot shootOf(int clips) {
  Shoot shoot;
  shoot.name = "Tide mill";
  shoot.path = "/shoots/mill.glenhaze-shoot.json";
  for (int i = 0; i < clips; ++i) {
    ShootClip clip;
    clip.path = "/card/" + std::to_string(i) + ".mp4";
    shoot.clips.push_back(clip);
  }
  return shoot;
}

bool alike(const Shoot& a, const Shoot& b) {
  return a.name == b.name && a.clips == b.clips && a.references == b.references && a.answers == b.answers &&
         a.iso_pattern == b.iso_pattern && a.kept_json == b.kept_json &&
         outputToText(a.output) == outputToText(b.output) && a.output.folder == b.output.folder;
}

TEST(ShootChange, GoesThereAndBack) {
  const Shoot before = shootOf(20);
  std::mt19937 random(7);
  const auto pick = [&](size_t n) { return std::uniform_int_distribution<size_t>(0, n - 1)(random); };
  for (int round = 0; round < 300; ++round) {
    Shoot after = before;
    for (int edits = 0; edits < 3; ++edits) {
      switch (pick(6)) {
        case 0:
          if (!after.clips.empty()) after.clips[pick(after.clips.size())].lens_on ^= true;
          break;
        case 1:
          if (!after.clips.empty())
            after.clips.erase(after.clips.begin() + static_cast<ptrdiff_t>(pick(after.clips.size())));
          break;
        case 2:
          after.clips.insert(after.clips.begin() + static_cast<ptrdiff_t>(pick(after.clips.size() + 1)),
                             shootOf(1).clips[0]);
          break;
        case 3:
          after.output.fill = static_cast<double>(pick(10)) / 10;
          break;
        case 4:
          after.answers["x"].camera = "Limpet A1";
          break;
        default:
          after.clips.clear();
      }
    }
    const ShootChange change(before, after);
    Shoot shoot = before;
    change.apply(shoot);
    ASSERT_TRUE(alike(shoot, after)) << round;
    change.revert(shoot);
    ASSERT_TRUE(alike(shoot, before)) << round;
  }
}

TEST(ShootChange, KeepsOnlyWhatChanged) {
  const Shoot before = shootOf(10000);
  Shoot after = before;
  after.clips[3].iso = 400;
  after.clips[9000].noise_on = false;
  EXPECT_EQ(ShootChange(before, after).clipsKept(), 4U);
  after = before;
  after.clips.erase(after.clips.begin() + 5000);
  EXPECT_EQ(ShootChange(before, after).clipsKept(), 1U);
  after.output.fill = 0.5;
  after.clips = before.clips;
  EXPECT_EQ(ShootChange(before, after).clipsKept(), 0U);
}

// Undoing must not send the shoot back to the file that it was in before it was saved elsewhere.
TEST(ShootChange, TheFileItIsKeptInStays) {
  const Shoot before = shootOf(2);
  Shoot after = before;
  after.clips[0].render = false;
  const ShootChange change(before, after);
  Shoot shoot = after;
  shoot.path = "/elsewhere/saved.glenhaze-shoot.json";
  change.revert(shoot);
  EXPECT_EQ(shoot.path, "/elsewhere/saved.glenhaze-shoot.json");
  EXPECT_TRUE(shoot.clips[0].render);
}

}  // namespace
}  // namespace glenhaze
