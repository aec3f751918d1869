#include "desktop/compare/loop_sound.h"

#include <gtest/gtest.h>

#include "core/media/reader.h"
#include "core/media/sound.h"
#include "tests/desktop/stand_in_sound.h"
#include "tests/desktop/wait.h"
#include "tests/support/footage.h"

namespace glenhaze::desktop {
namespace {

struct Loop {
  testing::ScratchFolder folder;
  StandInSound* output = nullptr;
  std::unique_ptr<LoopSound> sound;
  ClipInfo clip;

  explicit Loop(bool with_sound = true) {
    auto film = testing::smallFilm(30);
    film.sound = with_sound;
    testing::makeFilm(folder / "a.mp4", film);
    clip = probe(folder / "a.mp4");
    auto stand_in = std::make_unique<StandInSound>();
    output = stand_in.get();
    sound = std::make_unique<LoopSound>(std::move(stand_in));
  }
};

TEST(LoopSound, IsThatOfItsFramesOverAndOver) {
  Loop loop;
  const FrameRange frames{6, 21};
  loop.sound->setLoop(loop.clip, frames);
  ASSERT_TRUE(eventually([&] { return loop.sound->ready(); })) << loop.sound->whyNot().toStdString();
  loop.sound->play(12);
  const auto sampleOf = [&](int64_t frame) {
    return std::llround((loop.clip.frameTime(frame) - loop.clip.frameTime(0)) * SoundOutput::kRate);
  };
  const auto length = static_cast<size_t>(sampleOf(21) - sampleOf(6));
  const std::vector<float> heard = loop.output->draw(2 * length);
  SoundReader reader(loop.clip, SoundOutput::kRate, SoundOutput::kChannels);
  reader.seek(sampleOf(12));
  std::vector<float> truth(2 * 4000);
  reader.read(truth);
  float loudest = 0;
  // Coded sound comes out a little otherwise where it was begun elsewhere.
  for (size_t i = 0; i < truth.size(); ++i) {
    EXPECT_NEAR(heard[i], truth[i], 2e-3) << i;
    loudest = std::max(loudest, std::abs(truth[i]));
  }
  EXPECT_GT(loudest, 0.01F);  // there is something to hear
  for (size_t i = 0; i < 2 * length; ++i) EXPECT_EQ(heard[i], heard[i + 2 * length]) << i;
}

TEST(LoopSound, SaysWhichFrameIsHeard) {
  Loop loop;
  loop.sound->setLoop(loop.clip, {6, 21});
  ASSERT_TRUE(eventually([&] { return loop.sound->ready(); }));
  loop.sound->play(12);
  EXPECT_EQ(loop.sound->frame(), 12);
  const double fps = loop.clip.fps.value();
  for (const auto& [after, frame] : {std::pair{0.5, 12}, {1.5, 13}, {8.5, 20}, {9.5, 6}, {24.5, 6}}) {
    loop.output->heard = after / fps;
    EXPECT_EQ(loop.sound->frame(), frame) << after;
  }
  loop.sound->stop();
  EXPECT_FALSE(loop.sound->playing());
  EXPECT_FALSE(loop.output->started());
}

TEST(LoopSound, SaysWhyNothingIsHeard) {
  Loop silent(false);
  silent.sound->setLoop(silent.clip, {0, 10});
  EXPECT_TRUE(silent.sound->whyNot().contains(QStringLiteral("no sound")));
  silent.sound->play(0);
  EXPECT_FALSE(silent.sound->playing());
  Loop deaf;
  deaf.output->there = false;
  deaf.sound->setLoop(deaf.clip, {0, 10});
  EXPECT_TRUE(deaf.sound->whyNot().contains(QStringLiteral("device")));
}

}  // namespace
}  // namespace glenhaze::desktop
