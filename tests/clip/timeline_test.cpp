// What a clip is like from moment to moment, and which stretches are worth keeping.
#include "core/clip/timeline.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/clip/pick.h"
#include "tests/support/footage.h"

namespace glenhaze {
namespace {

// Mean of one figure between two times.
double mean(const ClipTimeline& t, float Moment::*part, double from, double to) {
  double sum = 0, count = 0;
  for (size_t i = t.at(from); i <= t.at(to - 1e-6); ++i, ++count)
    sum += static_cast<double>(t.moments[i].*part);
  return sum / count;
}

// A textured picture through a window that shakes, goes soft, goes white, and in which a patch moves, each
// for two seconds; made by ffmpeg alone.
TEST(Timeline, TellsWhatIsWrongAndWhen) {
  const testing::ScratchFolder folder;
  const auto picture = testing::makeWithFfmpeg(
      folder / "texture.png",
      "-f lavfi -i \"nullsrc=s=800x500:d=0.04:r=25,format=gray,geq=lum='255*random(1)',gblur=sigma=3,"
      "eq=contrast=6\" -frames:v 1");
  constexpr double kSize = 20;
  const auto clip = testing::makeWithFfmpeg(
      folder / "clip.mkv",
      "-loop 1 -r 25 -t 12 -i '" + picture.string() +
          "' -f lavfi -i \"aevalsrc=if(between(t\\,8\\,10)\\,0.5*sin(2*PI*440*t)\\,0):s=48000:d=12\" "
          "-filter_complex \"[0]crop=640:360:'80+if(between(t,2,4),20*sin(2*PI*5*t),0)':70,"
          "gblur=sigma=2.5:enable='between(t,4.9,6.9)',"
          "lutyuv=y=235:enable='between(t,7.9,9.9)',format=yuv420p[a];"
          "color=c=black:s=160x120:r=25:d=12[b];[a][b]overlay=x='40+120*t-1200':y=120:enable='gte(t,10)'[v]"
          "\" "
          "-map [v] -map 1 -c:v ffv1 -c:a pcm_s16le");
  const ClipInfo info = probe(clip);
  ASSERT_EQ(info.frames, 300);
  const ClipTimeline t = measureTimeline(info);
  ASSERT_EQ(t.moments.size(), 48U);
  // A sine's RMS is 1/√2 of its height; 5 Hz is well above 1 Hz.
  const double shake = 100 * kSize / std::sqrt(2.0) / 640;
  EXPECT_NEAR(mean(t, &Moment::shake, 2.5, 3.5), shake, 0.15 * shake);
  EXPECT_LT(mean(t, &Moment::shake, 0.5, 1.25), 0.03);
  EXPECT_GT(mean(t, &Moment::blur, 5.25, 6.5), 0.5);
  EXPECT_LT(mean(t, &Moment::blur, 0.5, 1.5), 0.1);
  EXPECT_GT(mean(t, &Moment::bright, 8.25, 9.5), 0.95);
  EXPECT_LT(mean(t, &Moment::bright, 0, 1.5), 0.2);
  EXPECT_GT(mean(t, &Moment::activity, 10.5, 11.75), 0.01);
  EXPECT_LT(mean(t, &Moment::activity, 0.5, 1.75), 0.002);
  ASSERT_TRUE(t.sound);
  EXPECT_NEAR(mean(t, &Moment::sound_db, 8.25, 9.75), 20 * std::log10(0.5 / std::sqrt(2.0)), 0.2);
  EXPECT_EQ(mean(t, &Moment::sound_db, 0, 7), kSilent_db);
  // As it is kept.
  EXPECT_EQ(timelineFromText(timelineToText(t)), t);
  EXPECT_FALSE(timelineFromText("{\"step_s\":1}"));

  // Nothing of what is wrong is suggested.
  const PickClip one{&info, &t, 1};
  PickOptions options;
  options.total_s = 12;
  options.shortest_s = 1;
  const auto found = suggestStretches(std::span(&one, 1), options);
  ASSERT_FALSE(found.empty());
  for (const Suggestion& s : found) {
    const double from = info.frameTime(s.first), to = info.frameTime(s.last);
    for (const auto& [a, b] : {std::pair(2.1, 3.9), std::pair(5.1, 6.7), std::pair(8.1, 9.7)})
      EXPECT_TRUE(to <= a || from >= b) << from << " to " << to << ": " << s.reason;
    EXPECT_NE(s.reason, "");
  }
}

TEST(Timeline, APanIsNoShake) {
  const testing::ScratchFolder folder;
  const auto clip = testing::makeWithFfmpeg(
      folder / "pan.mkv",
      "-f lavfi -i \"nullsrc=s=1200x400:d=0.04:r=25,format=gray,geq=lum='255*random(1)',gblur=sigma=3,"
      "eq=contrast=6,loop=-1:1,crop=640:360:'4*n':20,format=yuv420p\" -frames:v 100 -c:v ffv1");
  const ClipTimeline t = measureTimeline(probe(clip));
  EXPECT_NEAR(mean(t, &Moment::travel, 1, 3), 100 * 4 * 25 / 640.0, 1.0);
  EXPECT_LT(mean(t, &Moment::shake, 1, 3), 0.08);
  EXPECT_FALSE(t.sound);
}

class Picks : public ::testing::Test {
 protected:
  // A clip of so many seconds at 25 frames a second whose moments are all alike.
  void add(double seconds, const Moment& like) {
    ClipInfo info;
    info.fps = info.nominal_fps = {25, 1};
    info.time_base = {1, 25};
    info.frames = static_cast<int64_t>(seconds * 25);
    info.duration_s = seconds;
    infos.push_back(info);
    ClipTimeline t;
    t.step_s = 0.25;
    t.moments.assign(static_cast<size_t>(seconds * 4), like);
    timelines.push_back(t);
  }
  std::vector<Suggestion> suggest(const PickOptions& options) {
    std::vector<PickClip> clips;
    for (size_t i = 0; i < infos.size(); ++i) clips.push_back({&infos[i], &timelines[i], 1});
    return suggestStretches(clips, options);
  }
  double length(const std::vector<Suggestion>& all) const {
    double sum = 0;
    for (const Suggestion& s : all) sum += infos[s.clip].frameTime(s.last) - infos[s.clip].frameTime(s.first);
    return sum;
  }
  std::vector<ClipInfo> infos;
  std::vector<ClipTimeline> timelines;
};

TEST_F(Picks, TheWishDecides) {
  Moment calm, lively;
  lively.activity = 0.2F;
  lively.travel = 30;
  lively.shake = 0.5F;
  add(20, calm);
  add(20, lively);
  PickOptions options;
  options.total_s = 8;
  options.wish = Wish::Steady;
  auto found = suggest(options);
  ASSERT_FALSE(found.empty());
  for (const Suggestion& s : found) EXPECT_EQ(s.clip, 0U);
  options.wish = Wish::Lively;
  found = suggest(options);
  ASSERT_FALSE(found.empty());
  for (const Suggestion& s : found) EXPECT_EQ(s.clip, 1U);
}

TEST_F(Picks, AreAsLongAsAskedForAndDoNotOverlap) {
  for (int i = 0; i < 3; ++i) add(30, {});
  for (const double total : {5.0, 20.0, 47.0}) {
    PickOptions options;
    options.total_s = total;
    const auto found = suggest(options);
    EXPECT_NEAR(length(found), total, options.shortest_s / 2) << total;
    for (size_t i = 1; i < found.size(); ++i)
      EXPECT_TRUE(found[i].clip > found[i - 1].clip || found[i].first >= found[i - 1].last);
    for (const Suggestion& s : found) {
      const double seconds = infos[s.clip].frameTime(s.last) - infos[s.clip].frameTime(s.first);
      EXPECT_GE(seconds, options.shortest_s - 0.26);
      EXPECT_LE(seconds, options.longest_s + 0.26);
    }
  }
  // Where there is not as much, all there is.
  PickOptions all;
  all.total_s = 1000;
  EXPECT_GT(length(suggest(all)), 3 * (30 - 4));
}

TEST_F(Picks, ShakeThatTheRenderTakesOutDoesNotCount) {
  Moment shaky;
  shaky.shake = 3;
  add(10, shaky);
  EXPECT_TRUE(suggest({}).empty());
  const PickClip steadied{&infos[0], &timelines[0], 0.1};
  EXPECT_FALSE(suggestStretches(std::span(&steadied, 1), {}).empty());
}

}  // namespace
}  // namespace glenhaze
