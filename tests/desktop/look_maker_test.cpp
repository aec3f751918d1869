// What is shown of a frame is made elsewhere, and only what was asked for last arrives.
#include "desktop/compare/look_maker.h"

#include <gtest/gtest.h>

#include "tests/desktop/wait.h"

namespace glenhaze::desktop {
namespace {

Frame evenFrame(int luma) {
  Frame frame = makeFrame(64, 48, {Chroma::C420, 8});
  for (int p = 0; p < 3; ++p) {
    const int rows = p == 0 ? 48 : 24, columns = p == 0 ? 64 : 32;
    for (int y = 0; y < rows; ++y)
      std::fill_n(frame.planes[static_cast<size_t>(p)].row<uint8_t>(y), columns,
                  static_cast<uint8_t>(p == 0 ? luma : 128));
  }
  return frame;
}

// With one bright spot, which is what a channel's detail shows.
PreviewFrame frameWith(int64_t index) {
  PreviewFrame made;
  made.index = made.wanted = index;
  made.source_frame = evenFrame(100);
  made.source_frame.planes[0].row<uint8_t>(20)[30] = 110;
  made.corrected_frame = made.source_frame;
  made.clean_frame = evenFrame(100);
  made.source = imageOf(made.source_frame);
  made.corrected = imageOf(made.corrected_frame);
  // Tells them apart.
  made.size = {64, 48 + static_cast<int>(index)};
  return made;
}

class Looks : public ::testing::Test {
 protected:
  void SetUp() override {
    QObject::connect(&maker, &LookMaker::made, [this](const ShownPictures& p) { shown.push_back(p); });
  }
  LookMaker maker;
  std::vector<ShownPictures> shown;
};

TEST_F(Looks, APictureAsItIsComesAtOnce) {
  const PreviewFrame frame = frameWith(1);
  maker.show(frame, CompareBar::AllChannels, 0);
  ASSERT_EQ(shown.size(), 1U);
  EXPECT_EQ(shown[0].first, frame.corrected);
  EXPECT_EQ(shown[0].second, frame.source);
  maker.show(frame, CompareBar::OwnMotion, 0);
  ASSERT_EQ(shown.size(), 2U);
  EXPECT_TRUE(shown[1].second.isNull()) << "its marks belong to the corrected picture";
}

TEST_F(Looks, OneChannelIsGreyAboutItsMean) {
  maker.show(frameWith(1), CompareBar::Luma, 0);
  EXPECT_TRUE(shown.empty()) << "made elsewhere";
  ASSERT_TRUE(eventually([&] { return !shown.empty(); }));
  const QImage& picture = shown[0].first;
  EXPECT_NEAR(qGray(picture.pixel(5, 40)), 128, 1);
  // Raised sixfold, less its own share in the mean.
  EXPECT_NEAR(qGray(picture.pixel(30, 20)), 128 + 6 * 10, 2);
  EXPECT_EQ(shown[0].second, picture) << "nothing was corrected here";
}

TEST_F(Looks, WhatWasTakenAwayIsRaisedToo) {
  maker.show(frameWith(1), CompareBar::Removed, 0);
  ASSERT_TRUE(eventually([&] { return !shown.empty(); }));
  EXPECT_GT(qGray(shown[0].first.pixel(30, 20)), qGray(shown[0].first.pixel(5, 40)) + 40);
  EXPECT_EQ(shown[0].size, QSize(64, 48)) << "the source's";
}

TEST_F(Looks, WhereCrispnessActsIsAtEdgesOnly) {
  PreviewFrame frame = frameWith(1);
  for (int y = 0; y < 48; ++y)
    std::fill_n(frame.source_frame.planes[0].row<uint8_t>(y), 64, static_cast<uint8_t>(60)),
        std::fill_n(frame.source_frame.planes[0].row<uint8_t>(y) + 32, 32, static_cast<uint8_t>(180));
  frame.clean_frame = {};
  Correction correction;
  correction.finishes = true;
  correction.finish.crisp = 3;
  correction.finish.exposure = 1;  // not of the edges: it does not show
  maker.setCorrection(correction, {64, 48});
  maker.show(frame, CompareBar::Edges, 0);
  ASSERT_TRUE(eventually([&] { return !shown.empty(); }));
  const QImage& picture = shown[0].first;
  const auto from_grey = [&](int x) {
    return std::abs(qGray(picture.pixel(x, 24)) - qGray(picture.pixel(4, 24)));
  };
  EXPECT_GT(from_grey(31) + from_grey(32), 20);
  EXPECT_LE(from_grey(10), 1);
  EXPECT_LE(from_grey(54), 1);
  // Where nothing of the finish is on, the picture is shown.
  correction.finishes = false;
  maker.setCorrection(correction, {64, 48});
  maker.show(frame, CompareBar::Edges, 0);
  ASSERT_EQ(shown.size(), 2U);
  EXPECT_EQ(shown[1].first, frame.corrected);
}

TEST_F(Looks, ALiftedPictureIsBrighter) {
  const PreviewFrame frame = frameWith(1);
  maker.show(frame, CompareBar::AllChannels, 2);
  ASSERT_TRUE(eventually([&] { return !shown.empty(); }));
  EXPECT_GT(qGray(shown[0].first.pixel(5, 40)), qGray(frame.corrected.pixel(5, 40)) + 40);
}

TEST_F(Looks, OnlyTheLastOfManyWishesIsMadeAfterTheFirst) {
  for (int i = 1; i <= 5; ++i) maker.show(frameWith(i), CompareBar::Luma, 0);
  ASSERT_TRUE(eventually([&] { return shown.size() == 2; }));
  QTest::qWait(50);
  ASSERT_EQ(shown.size(), 2U);
  EXPECT_EQ(shown[0].size.height(), 49) << "a loop that plays shows something";
  EXPECT_EQ(shown[1].size.height(), 53);
}

TEST_F(Looks, NothingArrivesForAClipThatIsGone) {
  maker.show(frameWith(1), CompareBar::Luma, 0);
  maker.show(frameWith(2), CompareBar::Luma, 0);
  maker.clear();
  QTest::qWait(100);
  EXPECT_TRUE(shown.empty());
  maker.show(frameWith(3), CompareBar::Luma, 0);
  ASSERT_TRUE(eventually([&] { return shown.size() == 1; }));
  EXPECT_EQ(shown[0].size.height(), 51);
}

}  // namespace
}  // namespace glenhaze::desktop
