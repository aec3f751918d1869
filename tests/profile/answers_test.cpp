#include "core/profile/answers.h"

#include <gtest/gtest.h>

#include <fstream>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/treat/shoot.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

ClipInfo clipNamed(const std::string& name) {
  ClipInfo c;
  c.path = "/card/" + name;
  c.width = 1280;
  c.height = 720;
  c.fps = c.nominal_fps = {30, 1};
  c.frames = 10;
  c.codec = "h264";
  return c;
}

TEST(NamePrefix, IsWhatStandsBeforeTheNumber) {
  for (const auto& [name, prefix] : {std::pair{"VISITOR_007.mp4", "VISITOR_"},
                                     {"D3_0050 ferry, in the hand.mp4", "D3_"},
                                     {"20261127_101500.mp4", ""},
                                     {"take 12.mp4", ""},
                                     {"ferry.mp4", ""},
                                     {"a1b22c333d4444.mp4", "a1b22c"}})
    EXPECT_EQ(namePrefixOf(clipNamed(name)), prefix) << name;
}

TEST(AnswerKey, HoldsForClipsThatLookAlike) {
  const ClipInfo clip = clipNamed("VISITOR_007.mp4");
  EXPECT_EQ(answerKey(clip), answerKey(clipNamed("VISITOR_123 the slip.mp4")));
  EXPECT_NE(answerKey(clip), answerKey(clipNamed("GUEST_007.mp4")));
  ClipInfo other = clip;
  other.codec = "hevc";
  EXPECT_NE(answerKey(clip), answerKey(other));
  other = clip;
  other.width = 1920;
  EXPECT_NE(answerKey(clip), answerKey(other));
  other = clip;
  other.nominal_fps = {25, 1};
  EXPECT_NE(answerKey(clip), answerKey(other));
  // A rate that varies is another one in each clip, but not another kind of clip.
  ClipInfo varying = clip, varying_too = clip;
  varying.variable_rate = varying_too.variable_rate = true;
  varying_too.nominal_fps = {299, 10};
  EXPECT_EQ(answerKey(varying), answerKey(varying_too));
  // Where the file names its camera, how it is named says nothing more.
  ClipInfo named = clip, named_too = clipNamed("GUEST_007.mp4");
  named.model = named_too.model = "A1";
  EXPECT_EQ(answerKey(named), answerKey(named_too));
}

TEST(Answers, OfShootsOfEarlierVersionsHoldStill) {
  Shoot shoot;
  const ClipInfo clip = clipNamed("VISITOR_007.mp4");
  shoot.answers["|1280x720|30"].camera = "Tern P2";
  EXPECT_EQ(answerOf(shoot, {}, clip).camera, "Tern P2");
  shoot.answers[answerKey(clip)].camera = "Limpet A1";
  EXPECT_EQ(answerOf(shoot, {}, clip).camera, "Limpet A1");
}

class AnswerBookTest : public ::testing::Test {
 protected:
  testing::ScratchFolder folder_;
  std::filesystem::path file_ = folder_ / "deep/answers.json";
};

TEST_F(AnswerBookTest, RemembersForLaterAndForOthers) {
  const ClipInfo clip = clipNamed("VISITOR_007.mp4"), other = clipNamed("GUEST_001.mp4");
  AnswerBook one(file_), two(file_);
  EXPECT_FALSE(one.find(clip));
  const CameraAnswer answer{"Tern P2", "wide", "flat-port-sea", "", {"off", "", "", "flat"}};
  one.remember(clip, answer);
  two.remember(other, {"Limpet A1", "", "", "", {}});
  const AnswerBook later(file_);
  CameraAnswer marked = answer;
  marked.remembered = true;
  EXPECT_EQ(later.find(clipNamed("VISITOR_300.mp4")), marked);
  ASSERT_TRUE(later.find(other));
  EXPECT_EQ(later.find(other)->camera, "Limpet A1");
}

TEST_F(AnswerBookTest, ClipsThatNameTheirCameraAreNotInIt) {
  ClipInfo clip = clipNamed("A1_0001.mp4");
  clip.model = "A1";
  AnswerBook book(file_);
  book.remember(clip, {"Limpet A1", "wide", "", "", {}});
  EXPECT_FALSE(book.find(clip));
  EXPECT_FALSE(std::filesystem::exists(file_));
}

TEST_F(AnswerBookTest, WhatIsNotOursIsNotWrittenOver) {
  std::filesystem::create_directories(file_.parent_path());
  for (const std::string text : {"{\"format\":\"glenhaze-answers\",\"version\":99,\"answers\":{}}", "no JSON",
                                 "[1,2]", "{\"format\":\"glenhaze-answers\",\"version\":1,\"answers\":7}"}) {
    std::ofstream(file_) << text;
    AnswerBook book(file_);
    EXPECT_FALSE(book.find(clipNamed("VISITOR_007.mp4")));
    EXPECT_THROW(book.remember(clipNamed("VISITOR_007.mp4"), {"Tern P2", "", "", "", {}}), Error) << text;
    EXPECT_EQ(readFile(file_), text);
  }
}

TEST_F(AnswerBookTest, FillsAShootOnlyWhereNothingIsSaid) {
  AnswerBook book(file_);
  const std::vector<ClipInfo> infos{clipNamed("VISITOR_007.mp4"), clipNamed("GUEST_001.mp4"), ClipInfo{}};
  book.remember(infos[0], {"Tern P2", "", "", "", {}});
  book.remember(infos[1], {"Of a guest", "", "", "", {}});
  Shoot shoot;
  shoot.clips.resize(3);
  for (const size_t i : {0U, 1U, 2U}) shoot.clips[i].path = folder_ / ("clip" + std::to_string(i) + ".mp4");
  shoot.answers[answerKey(infos[1])].camera = "Limpet A1";
  const auto take = [&] {
    for (size_t i = 0; i < infos.size(); ++i) takeRemembered(shoot, i, infos[i], book);
  };
  take();
  EXPECT_EQ(answerOf(shoot, shoot.clips[0], infos[0]).camera, "Tern P2");
  EXPECT_TRUE(answerOf(shoot, shoot.clips[0], infos[0]).remembered);
  EXPECT_EQ(answerOf(shoot, shoot.clips[1], infos[1]).camera, "Limpet A1");
  const auto taken = shoot.answers;
  take();
  EXPECT_EQ(shoot.answers, taken);
  // Written and read again it is still known where it came from; said anew it is the user's own.
  Shoot back =
      parseShoot(shootToJson(shoot, folder_ / "s.glenhaze-shoot.json"), folder_ / "s.glenhaze-shoot.json");
  EXPECT_EQ(back.answers, shoot.answers);
  back.answers[answerKey(infos[0])].remembered = false;
  EXPECT_EQ(
      parseShoot(shootToJson(back, folder_ / "s.glenhaze-shoot.json"), folder_ / "s.glenhaze-shoot.json")
          .answers,
      back.answers);
}

}  // namespace
}  // namespace glenhaze
