#include <gtest/gtest.h>

#include <functional>
#include <random>

#include "core/run/plan.h"
#include "tests/support/profiles.h"

namespace glenhaze {
namespace {

struct Many {
  Shoot shoot;
  KnownFacts facts;
  std::vector<Profile> profiles;

  explicit Many(int count) {
    shoot.path = "/shoot/many.glenhaze-shoot.json";
    for (int i = 0; i < count; ++i)
      add("/shoot/" + std::to_string(i % 5) + "/clip" + std::to_string(i / 5) + ".mp4");
    Profile p = testing::limpetProfile(320, 180);
    p.path = "/shoot/profiles/limpet.glenhaze.json";
    p.kept_json = profileToJson(p);
    profiles.push_back(p);
  }
  void add(const std::string& path) {
    shoot.clips.emplace_back().path = path;
    facts.push_back(known(path));
  }
  static std::shared_ptr<const ClipFacts> known(const std::string& path) {
    auto one = std::make_shared<ClipFacts>();
    ClipInfo& info = one->info;
    info.path = path;
    info.width = 320;
    info.height = 180;
    info.fps = info.nominal_fps = {30, 1};
    info.frames = 50;
    info.make = "Limpet";
    info.model = "A1";
    return one;
  }
  std::vector<ClipPlan> fromNothing() const {
    std::vector<ClipFacts> all;
    for (size_t i = 0; i < facts.size(); ++i) {
      all.push_back(facts[i] ? *facts[i] : ClipFacts{});
      all.back().info.path = shoot.clips[i].path;
    }
    return planShoot(shoot, all, profiles);
  }
};

void expectAlike(const PlanList& list, const std::vector<ClipPlan>& plans, const std::string& after) {
  ASSERT_EQ(list.size(), plans.size()) << after;
  for (size_t i = 0; i < plans.size(); ++i) {
    EXPECT_EQ(list[i].clip, plans[i].clip) << after;
    EXPECT_EQ(list[i].job.place.path, plans[i].job.place.path) << after << ", clip " << i;
    EXPECT_EQ(treatmentToJson(list[i].decision.treatment), treatmentToJson(plans[i].decision.treatment))
        << after;
    EXPECT_EQ(list[i].refusal, plans[i].refusal) << after;
    EXPECT_EQ(list[i].match.profile, plans[i].match.profile) << after;
    EXPECT_EQ(list[i].stretches, plans[i].stretches) << after;
    EXPECT_EQ(list[i].job.place.guard != nullptr, plans[i].job.place.guard != nullptr) << after;
  }
}

TEST(PlanList, OneChangeLeavesAllOtherPlansAsTheyAre) {
  Many many(40);
  const PlanList before({}, many.shoot, many.facts, many.profiles);
  many.shoot.clips[7].fill = 0.5;
  const PlanList now(before, many.shoot, many.facts, many.profiles);
  for (size_t i = 0; i < now.size(); ++i) EXPECT_EQ(now.share(i) == before.share(i), i != 7) << i;
  EXPECT_EQ(now[7].job.correction.fill, 0.5);
  EXPECT_EQ(now[7].job.place.path, before[7].job.place.path);
}

// Whatever is changed, what is kept is what planning all from nothing would give.
TEST(PlanList, IsWhatPlanningFromNothingGives) {
  Many many(20);
  PlanList list({}, many.shoot, many.facts, many.profiles);
  std::mt19937 random(3);
  const auto pick = [&](size_t n) { return std::uniform_int_distribution<size_t>(0, n - 1)(random); };
  const auto anyClip = [&]() -> ShootClip& { return many.shoot.clips[pick(many.shoot.clips.size())]; };
  const std::vector<std::pair<std::string, std::function<void()>>> changes = {
      {"fill", [&] { anyClip().fill = 0.1 * static_cast<double>(pick(10)); }},
      {"lens off", [&] { anyClip().lens_on ^= true; }},
      {"stretches",
       [&] {
         ShootClip& clip = anyClip();
         if (clip.stretches.empty())
           clip.stretches = {{{0, 10}, ""}, {{20, 30}, ""}};
         else
           clip.stretches.pop_back();
       }},
      {"format", [&] { many.shoot.output.encode.codec = pick(2) == 0 ? Codec::Ffv1 : Codec::H264; }},
      {"pattern", [&] { many.shoot.output.name = pick(2) == 0 ? "" : "{camera}-{n}"; }},
      {"folder", [&] { many.shoot.output.folder = "/out/" + std::to_string(pick(3)); }},
      {"known",
       [&] {
         const size_t i = pick(many.facts.size());
         many.facts[i] = many.facts[i] ? nullptr : Many::known(many.shoot.clips[i].path.string());
       }},
      {"gone",
       [&] {
         if (many.facts.size() < 5) return;
         const auto i = static_cast<ptrdiff_t>(pick(many.facts.size()));
         many.shoot.clips.erase(many.shoot.clips.begin() + i);
         many.facts.erase(many.facts.begin() + i);
       }},
      {"come",
       [&] {
         many.add("/shoot/x/clip" + std::to_string(pick(4)) + std::to_string(many.facts.size()) + ".mp4");
       }},
      {"profile",
       [&] {
         Profile& p = many.profiles.front();
         p.lens->lens.fx += 1;
         p.kept_json = profileToJson(p);
       }},
      {"answer", [&] { anyClip().answer = CameraAnswer{}; }},
  };
  for (int round = 0; round < 200; ++round) {
    const auto& [what, change] = changes[pick(changes.size())];
    change();
    list = PlanList(list, many.shoot, many.facts, many.profiles);
    expectAlike(list, many.fromNothing(), what + " in round " + std::to_string(round));
    if (HasFailure()) return;
  }
}

}  // namespace
}  // namespace glenhaze
