// Settings, profiles, footage and the output folder change, runs are killed and taken up again: after each
// completed run the folder holds, byte for byte, what a fresh render of what is set now would be, and nothing
// of anybody else's is touched.
#include <gtest/gtest.h>
#include <signal.h>
#include <sys/wait.h>

#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
#include <random>
#include <set>
#include <thread>

#include "core/base/database.h"
#include "core/base/files.h"
#include "core/profile/edit.h"
#include "core/run/record.h"
#include "core/treat/shoot.h"
#include "tests/support/believed.h"
#include "tests/support/footage.h"
#include "tests/support/process.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;
using nlohmann::json;

constexpr int kClips = 3;
constexpr unsigned kSeed = 20311;

class Rounds : public ::testing::Test {
 protected:
  testing::ScratchFolder folder;
  std::mt19937 random{kSeed};
  Shoot shoot;
  fs::path file, out, profile;
  std::vector<std::vector<std::string>> takes{kClips};  // contents that a clip's file can have
  bool aged = false;                                    // nothing that is there is up to date
  std::set<fs::path> theirs;                            // outputs that somebody else changed or put there
  std::map<std::string, std::string> fresh;  // what a render is, by name, clip content and treatment

  int upTo(int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); }
  fs::path clip(int i) const { return folder / "shoot" / ("clip" + std::to_string(i) + ".mp4"); }

  void SetUp() override {
    fs::create_directories(folder / "shoot" / "profiles");
    file = folder / "shoot" / "s.glenhaze-shoot.json";
    out = folder / "shoot" / "rendered";
    for (int i = 0; i < kClips; ++i)
      for (int take = 0; take < 2; ++take) {
        auto settings = testing::smallFilm(3 + i + take);
        settings.sound = i == 0;
        const auto camera = testing::smallCamera(LensModel::BrownConrady, 64, 48);
        takes[static_cast<size_t>(i)].push_back(
            readFile(testing::makeFilm(folder / "take.mp4", settings, camera)));
      }
    Profile p;
    p.camera.name = "Limpet A1";
    p.camera.width = 64;
    p.camera.height = 48;
    p.lens.emplace().lens = testing::testLens(LensModel::BrownConrady, 64, 48);
    profile = putProfile({}, p, folder / "shoot" / "profiles").profile.path;
    for (int i = 0; i < kClips; ++i) {
      writeFileAtomically(clip(i), takes[static_cast<size_t>(i)][0]);
      shoot.clips.emplace_back().path = clip(i);
    }
    saveShoot(shoot, file);
  }

  json run(const std::vector<std::string>& arguments) {
    const auto output = testing::runProcess(GLENHAZE_CLI, arguments, folder.path());
    return json::parse(output.out);
  }

  void change() {
    ShootClip& one = shoot.clips[static_cast<size_t>(upTo(kClips))];
    switch (upTo(11)) {
      case 0:
        shoot.output.fill = upTo(3) * 0.5;
        break;
      case 1:
        shoot.output.encode.codec =
            std::array{Codec::H264, Codec::Ffv1, Codec::Png}[static_cast<size_t>(upTo(3))];
        break;
      case 2:
        shoot.output.encode.quality = static_cast<Quality>(upTo(3));
        break;
      case 3:
        one.lens_on = !one.lens_on;
        break;
      case 4:
        one.range = upTo(2) == 0 ? std::nullopt : std::optional(FrameRange{1, 3});
        break;
      case 5:
        changeProfile(profile, [this](Profile& p) { p.lens->lens.k[0] = -0.1 * (1 + upTo(3)); });
        break;
      case 6: {
        const int i = upTo(kClips);
        writeFileAtomically(clip(i), takes[static_cast<size_t>(i)][static_cast<size_t>(upTo(2))]);
        break;
      }
      case 7:
        ageRecord();
        break;
      default:
        meddle();
        break;
    }
    saveShoot(shoot, file);
  }

  // As if another version of the program had rendered what is there: its fingerprints are others.
  void ageRecord() {
    if (!fs::exists(out / kRecordName)) return;
    Database(out / kRecordName, "")
        .run("UPDATE outputs SET fingerprint=?", {std::string("of another version")});
    aged = true;
  }

  // Somebody works in the output folder too.
  void meddle() {
    std::vector<fs::path> outputs;
    std::error_code code;
    for (const auto& entry : fs::directory_iterator(out, code))
      if (!entry.path().filename().string().starts_with(".")) outputs.push_back(entry.path());
    if (outputs.empty()) return;
    const fs::path one = outputs[static_cast<size_t>(upTo(static_cast<int>(outputs.size())))];
    if (upTo(3) > 0) {
      fs::remove_all(one);
      theirs.erase(one);
    } else {
      std::ofstream(fs::is_directory(one) ? one / "notes.txt" : one, std::ios::app) << "theirs";
      theirs.insert(one);
    }
  }

  static std::string contentOf(const fs::path& path) {
    if (!fs::is_directory(path)) return readFile(path);
    std::map<std::string, std::string> files;
    for (const auto& entry : fs::directory_iterator(path))
      files[entry.path().filename().string()] = readFile(entry.path());
    std::string all;
    for (const auto& [name, text] : files) all += name + "\n" + text + "\n";
    return all;
  }

  // The same shoot rendered into an empty folder, as far as that was not done before.
  const std::string& freshRender(int i, const json& treatment, const fs::path& output) {
    std::string& known = fresh[output.filename().string() + contentOf(clip(i)) + treatment.dump()];
    if (!known.empty()) return known;
    Shoot alone = shoot;
    alone.kept_json.clear();
    alone.clips = {shoot.clips[static_cast<size_t>(i)]};
    alone.output.folder = folder / "fresh";
    saveShoot(alone, folder / "shoot" / "alone.glenhaze-shoot.json");
    const json done = run({"run", "--json", folder / "shoot" / "alone.glenhaze-shoot.json"});
    EXPECT_EQ(done["clips"][0]["state"], "done") << done.dump(1);
    known = contentOf(folder / "fresh" / output.filename());
    fs::remove_all(folder / "fresh");
    fs::remove(folder / "shoot" / "alone.glenhaze-shoot.json");
    return known;
  }
};

TEST_F(Rounds, TheFolderIsAlwaysWhatAFreshRenderWouldBe) {
  const int rounds = testing::allCases() ? 200 : 40;
  int killed = 0, renewed = 0, kept = 0, twofold = 0;
  for (int round = 0; round < rounds && !HasFailure(); ++round) {
    SCOPED_TRACE("round " + std::to_string(round));
    for (int n = 1 + upTo(2); n > 0; --n) change();
    std::map<fs::path, std::string> untouchable;
    for (const fs::path& path : theirs) untouchable[path] = contentOf(path);
    const bool cut = upTo(2) == 0;
    if (cut) {
      const pid_t pid =
          testing::startProcess(GLENHAZE_CLI, {"run", file}, folder / "stdout", folder / "stderr");
      std::this_thread::sleep_for(std::chrono::milliseconds(upTo(160)));
      ::kill(pid, SIGKILL);
      ::waitpid(pid, nullptr, 0);
      ++killed;
    }
    // Sometimes two runs of the same at the same time: what one has in hand, the other one leaves.
    const bool two = upTo(4) == 0;
    const pid_t other =
        two ? testing::startProcess(GLENHAZE_CLI, {"run", file}, folder / "other-out", folder / "other-err")
            : 0;
    const json done = run({"run", "--json", file});
    if (two) {
      ::waitpid(other, nullptr, 0);
      ++twofold;
    }
    const json status = run({"shoot", "status", "--json", file});
    for (int i = 0; i < kClips; ++i) {
      const json& item = done["clips"][static_cast<size_t>(i)];
      const json& now = status["clips"][static_cast<size_t>(i)];
      const fs::path output = now["output"].get<std::string>();
      if (theirs.contains(output)) {
        EXPECT_EQ(item["state"], "failed") << item.dump(1);
        EXPECT_EQ(now["state"], "blocked");
        continue;
      }
      // What the other run was just making is left to it.
      const bool others = two && item["why"].get<std::string>().starts_with("Another run is making");
      if (!others) ASSERT_EQ(item["state"], "done") << item.dump(1);
      EXPECT_EQ(now["state"], "rendered") << now.dump(1);
      const std::string made = contentOf(output), &anew = freshRender(i, now["treatment"], output);
      EXPECT_TRUE(made == anew) << item.dump() << " differs from byte "
                                << std::mismatch(made.begin(), made.end(), anew.begin(), anew.end()).first -
                                       made.begin()
                                << " of " << made.size() << " and " << anew.size() << "\n"
                                << made.substr(0, 40);
      const bool was_there = item["why"].get<std::string>().starts_with("Rendered by an earlier run");
      (was_there ? kept : renewed) += 1;
      if (aged && !two && !cut) EXPECT_FALSE(was_there) << item.dump(1);
    }
    aged = false;
    for (const auto& [path, content] : untouchable) EXPECT_TRUE(contentOf(path) == content) << path;
    for (const auto& entry : fs::directory_iterator(out)) {
      const std::string name = entry.path().filename().string();
      EXPECT_TRUE(name[0] != '.' || name.starts_with(kRecordName)) << "left behind: " << name;
    }
  }
  // The test itself must have tried what it is for.
  EXPECT_GT(killed, rounds / 4);
  EXPECT_GT(renewed, rounds / 4);
  EXPECT_GT(kept, rounds / 4);
  EXPECT_GT(twofold, rounds / 8);
  RecordProperty("renders", static_cast<int>(fresh.size()));
}

}  // namespace
}  // namespace glenhaze
