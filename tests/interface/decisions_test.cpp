// What the window shows, what the console says and what a run would render are one decision.
#include <nlohmann/json.hpp>
#include <random>

#include "core/base/json_text.h"
#include "core/run/batch.h"
#include "tests/interface/window_fixture.h"
#include "tests/support/process.h"

namespace glenhaze::desktop {
namespace {
namespace fs = std::filesystem;
using nlohmann::json;

// Opens the shoot in a window and holds each clip's decision against the console's, and against a run's.
void expectOneDecision(const fs::path& shoot, const fs::path& scratch) {
  const auto said = testing::runProcess(GLENHAZE_CLI, {"shoot", "status", "--json", shoot}, scratch);
  ASSERT_EQ(said.exit_code, 0) << said.err;
  const json console = json::parse(said.out)["clips"];
  MainWindow window;
  ASSERT_TRUE(window.openPath(QString::fromStdString(shoot.string())));
  ASSERT_TRUE(eventually([&] { return !window.session().probing(); }));
  const auto& plans = window.session().plans();
  ASSERT_EQ(plans.size(), console.size());
  const Batch batch(plans, Replace::Ours);
  const auto items = batch.items();
  int ready = 0;
  for (size_t i = 0; i < plans.size(); ++i) {
    SCOPED_TRACE(plans[i].info.path.string());
    EXPECT_EQ(parseJson(treatmentToJson(plans[i].decision.treatment)), console[i]["treatment"]);
    EXPECT_EQ(plans[i].job.place.path.string(), console[i]["output"]);
    EXPECT_EQ(plans[i].refusal.empty(), console[i]["state"] != "refused");
    EXPECT_EQ(plans[i].refusal.empty() && plans[i].decision.missing.any(),
              console[i]["state"] == "facts missing");
    EXPECT_EQ(items[i].plan->decision.treatment, plans[i].decision.treatment);
    EXPECT_EQ(items[i].state == RunState::Waiting, plans[i].refusal.empty());
    ready += plans[i].decision.ready() ? 1 : 0;
  }
  EXPECT_GT(ready, 0);
}

TEST(Decisions, TheDemoIsDecidedOnce) {
  const testing::ScratchFolder folder;
  fs::copy(fs::path(GLENHAZE_SOURCE) / "demo", folder / "demo", fs::copy_options::recursive);
  for (const auto& entry : fs::directory_iterator(folder / "demo"))
    if (entry.path().string().ends_with(kShootEnding)) expectOneDecision(entry.path(), folder.path());
}

TEST(Decisions, TwoHundredOddCasesAreDecidedOnce) {
  const testing::ScratchFolder folder;
  std::mt19937 random{4711};
  const auto one_in = [&](unsigned n) { return random() % n == 0; };
  const auto share = [&] { return static_cast<double>(random() % 11) / 10; };
  auto plain = testing::smallFilm(6), turned = testing::smallFilm(9), silent = testing::smallFilm(7);
  turned.rotation = 90;
  silent.iso.reset();
  const std::vector<fs::path> films = {testing::makeFilm(folder / "plain.mp4", plain),
                                       testing::makeFilm(folder / "turned.mp4", turned),
                                       testing::makeFilm(folder / "silent.mp4", silent)};
  Profile p = limpet(320, 180);
  p.shutter = shutterPartByHand({0.0148, ScanDirection::Down});
  p.stabilization.emplace();
  p.noise.emplace();
  for (const double iso : {400.0, 1600.0})
    for (const char* light : {"", "lamp-lit"}) {
      NoiseEntry e;
      e.curve.iso = iso;
      e.curve.light = light;
      e.curve.level = {16, 235};
      for (auto& sigma : e.curve.sigma) sigma = {iso / 400, iso / 200};
      p.noise->put(e);
    }
  putProfile({}, p, folder / "profiles");
  Shoot shoot;
  shoot.output.encode.codec = Codec::Ffv1;
  shoot.output.fill = 0.4;
  for (int i = 0; i < 200; ++i) {
    ShootClip clip;
    clip.path = folder / ("clip" + std::to_string(i) + ".mp4");
    fs::create_hard_link(films[random() % films.size()], clip.path);
    clip.lens_on = !one_in(4);
    clip.noise_on = !one_in(4);
    clip.shutter_on = !one_in(4);
    clip.shutter_local = one_in(4);
    clip.stabilization_on = !one_in(4);
    if (one_in(3)) clip.fill = share();
    if (one_in(3)) clip.lens_amount = share();
    if (one_in(3)) clip.iso = 100 << random() % 6;
    if (one_in(3)) clip.light = one_in(2) ? "" : "lamp-lit";
    if (one_in(3)) clip.denoise.emplace().luma = share();
    if (one_in(3))
      clip.range = FrameRange{static_cast<int64_t>(random() % 5), 5 + static_cast<int64_t>(random() % 9)};
    if (one_in(3)) clip.stabilization.emplace().smoothing_s = 0.1 + share();
    if (one_in(5)) clip.stabilization.emplace().steadying = Steadying::Off;
    if (one_in(5)) clip.masks = {{{{0, 0}, {1, 0}, {1, share()}}, 0, -1}};
    if (one_in(5)) clip.hand = {{1, {share(), 0}, 0, 1, {}}};
    if (one_in(5)) clip.turned = 90;
    if (one_in(9)) clip.render = false;
    if (one_in(9)) clip.answer = CameraAnswer{"Tern P2", "", "", "", {}};
    shoot.clips.push_back(clip);
  }
  saveShoot(shoot, folder / "s.glenhaze-shoot.json");
  expectOneDecision(folder / "s.glenhaze-shoot.json", folder.path());
}

}  // namespace
}  // namespace glenhaze::desktop
