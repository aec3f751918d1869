#include "desktop/compare/preview.h"

#include <gtest/gtest.h>

#include <QSignalSpy>

#include "core/pipeline/any_frame.h"
#include "tests/desktop/wait.h"
#include "tests/support/footage.h"
#include "tests/support/noise.h"

namespace glenhaze::desktop {
namespace {

class PreviewTest : public ::testing::Test {
 protected:
  PreviewTest() {
    QObject::connect(&preview_, &Preview::ready, &preview_,
                     [this](const PreviewFrame& f) { got_.push_back(f); });
  }
  ClipInfo film(const char* name, int64_t frames, int width = 320) {
    auto settings = testing::smallFilm(frames);
    return probe(testing::makeFilm(folder_ / name, settings,
                                   testing::smallCamera(LensModel::BrownConrady, width, width * 9 / 16)));
  }
  const PreviewFrame* last() const {
    for (auto at = got_.rbegin(); at != got_.rend(); ++at)
      if (!at->draft) return &*at;
    return nullptr;
  }

  testing::ScratchFolder folder_;
  std::shared_ptr<PictureCache> pictures_ = std::make_shared<PictureCache>();
  Preview preview_{pictures_};
  std::vector<PreviewFrame> got_;
};

Correction cleaning() {
  Correction c;
  c.lens = testing::smallCamera().lens;
  c.noise = testing::evenCurve(3);
  return c;
}

TEST_F(PreviewTest, AnswersWithTheFrameAsItIsRendered) {
  const ClipInfo clip = film("a.mp4", 12);
  preview_.setClip(clip, cleaning(), {});
  for (const int64_t at : {5, 6, 2}) {
    got_.clear();
    preview_.request(at);
    ASSERT_TRUE(eventually([&] { return last() != nullptr; }));
    EXPECT_EQ(last()->index, at);
    EXPECT_TRUE(sameSamples(last()->corrected_frame, AnyFrame(clip, cleaning()).make(at).corrected)) << at;
    EXPECT_TRUE(last()->removal);
    ASSERT_TRUE(preview_.isCached(at));
    // Kept as samples, drawn as it was.
    const auto kept = preview_.cached(at);
    ASSERT_TRUE(kept);
    EXPECT_EQ(kept->source, last()->source);
    EXPECT_EQ(kept->corrected, last()->corrected);
    EXPECT_NE(kept->corrected, kept->source);
    EXPECT_FALSE(preview_.isCached(11));
  }
}

// What is kept of a loop is the two pictures' samples, 1.5 bytes a pixel each, where images would be 4.
TEST_F(PreviewTest, ALoopIsKeptAsSamples) {
  const ClipInfo clip = film("a.mp4", 12);
  preview_.setClip(clip, cleaning(), {});
  preview_.setLoop(0, 6);
  ASSERT_TRUE(eventually([&] { return preview_.loopFilled() == 6; }));
  const auto area = static_cast<size_t>(clip.width * clip.height);
  EXPECT_GE(pictures_->used(), 6 * 3 * area);
  EXPECT_LE(pictures_->used(), 6 * 4 * area) << "the decoder's rows are somewhat longer";
  for (int64_t at = 0; at < 6; ++at) {
    const auto kept = preview_.cached(at);
    ASSERT_TRUE(kept);
    EXPECT_EQ(kept->corrected, imageOf(AnyFrame(clip, cleaning()).make(at).corrected)) << at;
  }
}

// Drawing those whenever one is shown would keep the interface waiting.
TEST_F(PreviewTest, LargePicturesAreKeptAsImages) {
  const ClipInfo clip = film("a.mp4", 2, 2720);
  ASSERT_GT(clip.width * clip.height, kLargePicture_px);
  preview_.setClip(clip, {}, {});
  preview_.request(1);
  ASSERT_TRUE(eventually([&] { return last() != nullptr; }));
  EXPECT_EQ(pictures_->used(), 8 * static_cast<size_t>(clip.width * clip.height));
  const auto kept = preview_.cached(1);
  ASSERT_TRUE(kept);
  EXPECT_EQ(kept->source.constBits(), preview_.cached(1)->source.constBits()) << "drawn anew";
  EXPECT_EQ(kept->corrected, last()->corrected);
}

// What was asked for of a former clip must never arrive under another one's name.
TEST_F(PreviewTest, AFormerClipsFramesDoNotArriveAnyMore) {
  const ClipInfo narrow = film("a.mp4", 12), wide = film("b.mp4", 12, 640);
  for (int round = 0; round < 12; ++round) {
    preview_.setClip(narrow, {}, {});
    preview_.request(4);
    // As long as making it may take, so that it is caught at every stage, and in the queue behind it.
    QTest::qSleep(round * 3);
    preview_.setClip(wide, {}, {});
    got_.clear();
    preview_.request(4);
    ASSERT_TRUE(eventually([&] { return last() != nullptr; }));
    QTest::qWait(20);
    for (const PreviewFrame& f : got_) EXPECT_EQ(f.source.width() % 640, 0) << round;
  }
}

// Groups are of 15 frames: what one begins with is decoded once, and shown at once from then on.
TEST_F(PreviewTest, TheDraftOfAGroupIsKept) {
  preview_.setDrafts(true);
  preview_.setClip(film("a.mp4", 40), cleaning(), {});
  const auto draftOf = [&](int64_t at) -> std::optional<PreviewFrame> {
    got_.clear();
    preview_.request(at);
    EXPECT_TRUE(eventually([&] { return last() != nullptr; }));
    if (got_.empty() || !got_.front().draft) return std::nullopt;
    return got_.front();
  };
  const auto first = draftOf(29), again = draftOf(21), other = draftOf(2);
  ASSERT_TRUE(first && again && other);
  EXPECT_EQ(first->index, 15);
  EXPECT_EQ(again->wanted, 21);
  EXPECT_EQ(again->source.constBits(), first->source.constBits()) << "the very same picture";
  EXPECT_EQ(other->index, 0);
  preview_.setClip(film("b.mp4", 40), {}, {});
  const auto fresh = draftOf(29);
  ASSERT_TRUE(fresh);
  EXPECT_NE(fresh->source.constBits(), first->source.constBits());
}

TEST_F(PreviewTest, GroupsAroundAreGlimpsedAtWhileNothingElseIsWanted) {
  const auto standAt = [&](int64_t at) {
    got_.clear();
    preview_.setLoop(0, 3);
    preview_.request(at);
    EXPECT_TRUE(eventually([&] { return last() != nullptr && preview_.loopFilled() == 3; }));
  };
  preview_.setClip(film("a.mp4", 70), cleaning(), {});
  standAt(2);
  QTest::qWait(600);
  EXPECT_EQ(preview_.glimpsed(), 0) << "no drafts are wanted";
  preview_.setDrafts(true);
  standAt(2);
  EXPECT_TRUE(eventually([&] { return preview_.glimpsed() == 5; })) << "0, 15, 30, 45, 60";
  // Finished pictures are worth more room.
  pictures_->setBudget(pictures_->used() / 2);
  preview_.setClip(film("b.mp4", 70), cleaning(), {});
  got_.clear();
  preview_.request(2);
  EXPECT_TRUE(eventually([&] { return last() != nullptr && preview_.glimpsed() > 0; }));
  QTest::qWait(600);
  EXPECT_LT(preview_.glimpsed(), 5);
}

// First what is near, then the frame itself as it was filmed, then as it is rendered. A step back shows the
// frame itself at once: it was decoded on the way.
TEST_F(PreviewTest, TheFrameItselfIsShownBeforeItIsFinished) {
  preview_.setDrafts(true);
  preview_.setClip(film("a.mp4", 40), cleaning(), {});
  const auto sequence = [&](int64_t at) {
    got_.clear();
    preview_.request(at);
    EXPECT_TRUE(eventually([&] { return last() != nullptr; }));
    std::vector<std::pair<int64_t, bool>> seen;
    for (const PreviewFrame& f : got_) {
      EXPECT_EQ(f.wanted, at);
      EXPECT_EQ(f.source.width(), f.draft ? 160 : 320);
      seen.emplace_back(f.index, f.draft);
    }
    return seen;
  };
  using Seen = std::vector<std::pair<int64_t, bool>>;
  EXPECT_EQ(sequence(29), (Seen{{15, true}, {29, true}, {29, false}}));
  EXPECT_EQ(sequence(28), (Seen{{28, true}, {28, false}}));
  EXPECT_EQ(sequence(29), (Seen{{29, false}})) << "kept";
  EXPECT_EQ(sequence(0), (Seen{{0, true}, {0, false}})) << "a key picture is no other one";
}

TEST_F(PreviewTest, TheLoopIsMadeAheadAsFarAsTheBudgetGoes) {
  const ClipInfo clip = film("a.mp4", 20);
  preview_.setClip(clip, {}, {});
  preview_.setLoop(5, 15);
  ASSERT_TRUE(eventually([&] { return preview_.loopFilled() == 10; }));
  const size_t all = pictures_->used();
  EXPECT_GT(all, 0U);
  pictures_->setBudget(all / 2);
  preview_.setClip(clip, cleaning(), {});
  preview_.setLoop(5, 15);
  ASSERT_TRUE(eventually([&] { return preview_.loopFilled() >= 2; }));
  QTest::qWait(500);
  EXPECT_LT(preview_.loopFilled(), 10);
  EXPECT_LE(pictures_->used(), all / 2);
}

TEST_F(PreviewTest, NothingIsMadeAheadWhileNobodyLooks) {
  preview_.setDrafts(true);
  preview_.setWatched(false);
  preview_.setClip(film("a.mp4", 40), cleaning(), {});
  preview_.setLoop(5, 8);
  preview_.request(2);
  ASSERT_TRUE(eventually([&] { return last() != nullptr; })) << "what is asked for comes";
  QTest::qWait(800);
  EXPECT_EQ(preview_.loopFilled(), 0);
  EXPECT_LE(preview_.glimpsed(), 1) << "its own";
  preview_.setWatched(true);
  EXPECT_TRUE(eventually([&] { return preview_.loopFilled() == 3 && preview_.glimpsed() == 3; }));
}

TEST_F(PreviewTest, WhatCannotBeReadIsSaid) {
  const ClipInfo clip = film("a.mp4", 6);
  QSignalSpy failed(&preview_, &Preview::failed);
  std::filesystem::remove(folder_ / "a.mp4");
  preview_.setClip(clip, {}, {});
  preview_.request(2);
  ASSERT_TRUE(eventually([&] { return failed.count() > 0; }));
  EXPECT_TRUE(failed[0][0].toString().contains(QStringLiteral("no such file")));
}

}  // namespace
}  // namespace glenhaze::desktop
