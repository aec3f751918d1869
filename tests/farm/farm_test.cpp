// Work for many computers, its tasks done here: what comes out is what a run of this computer makes, to the
// byte, whatever happens to tasks on the way.
#include <fcntl.h>
#include <gmock/gmock.h>
#include <gtest/gtest.h>

#include <atomic>
#include <fstream>
#include <thread>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/program.h"
#include "core/farm/farm_run.h"
#include "core/farm/results.h"
#include "core/farm/slurm.h"
#include "core/farm/submission.h"
#include "core/farm/task.h"
#include "core/run/status.h"
#include "tests/support/footage.h"
#include "tests/support/profiles.h"

namespace glenhaze {
namespace {
namespace fs = std::filesystem;

constexpr std::array kInTurn{FarmStage::Look, FarmStage::Render, FarmStage::Join, FarmStage::Collect};

struct FarmShoot {
  testing::ScratchFolder folder;
  Shoot shoot;
  std::vector<Profile> profiles;

  explicit FarmShoot(Codec codec = Codec::H264) {
    Profile p = testing::limpetProfile();
    p.path = folder / "limpet.glenhaze.json";
    profiles.push_back(p);
    shoot.path = folder / "s.glenhaze-shoot.json";
    shoot.output.folder = folder / "out";
    shoot.output.encode.codec = codec;
  }
  // Noise by itself and steady: both have to be asked of the pictures.
  ShootClip& add(const std::string& name, int64_t frames, double keep = 1) {
    auto settings = testing::smallFilm(frames);
    settings.keep_share = keep;
    ShootClip clip;
    clip.path = testing::makeFilm(folder / name, settings);
    clip.by_itself = true;
    shoot.clips.push_back(clip);
    return shoot.clips.back();
  }
  Batch batch() const {
    FactStore store(folder / kFactsName);
    std::vector<ClipFacts> facts;
    for (const ShootClip& clip : shoot.clips) facts.push_back(knownFacts(clip.path, store));
    return Batch(planShoot(shoot, facts, profiles), Replace::Ours);
  }
  // What a run of this computer makes, in a folder of its own; by name.
  std::map<std::string, std::string> renderedHere() {
    const fs::path out = shoot.output.folder;
    shoot.output.folder = folder / "here";
    Batch all = batch();
    all.run({});
    for (const RunItem& item : all.items()) EXPECT_EQ(item.state, RunState::Done) << item.why;
    shoot.output.folder = out;
    fs::remove(folder / kFactsName);
    fs::remove_all(folder / "motion");
    return outputsIn(folder / "here");
  }
  static std::map<std::string, std::string> outputsIn(const fs::path& folder) {
    std::map<std::string, std::string> all;
    for (const auto& entry : fs::directory_iterator(folder))
      if (entry.path().filename().native()[0] != '.')
        all[entry.path().filename()] = entry.is_directory() ? "a folder" : readFile(entry.path());
    return all;
  }
};

void doStage(const Submission& submission, FarmStage stage) {
  for (const FarmTask& task : tasksOf(submission, stage)) doTask(submission, task);
}
void doAll(const Submission& submission) {
  for (const FarmStage stage : kInTurn) doStage(submission, stage);
}

TEST(Farm, PartsPutTogetherAreTheFileThatOneComputerMakes) {
  FarmShoot f;
  f.add("long.mp4", 75);
  f.add("short.mp4", 12);
  const auto here = f.renderedHere();
  ASSERT_EQ(here.size(), 2U);
  Batch batch = f.batch();
  const FarmWork work = farmWorkOf(batch, 1);
  ASSERT_EQ(work.submission.items.size(), 2U);
  const auto& parts = work.submission.items[0].parts;
  ASSERT_EQ(parts.size(), 3U);
  EXPECT_EQ(parts[0].first, 0);
  EXPECT_EQ(parts[2].last, 75);
  EXPECT_EQ(parts[1].first, parts[0].last);
  EXPECT_TRUE(work.submission.items[1].parts.empty());
  EXPECT_EQ(work.submission.looks, std::vector<int>{0}) << "what one task needs it finds out itself";

  // As it comes from the disk on another computer; in any order; twice, as after a computer that died.
  const Submission loaded = loadSubmission(work.submission.folder);
  doStage(loaded, FarmStage::Look);
  auto tasks = tasksOf(loaded, FarmStage::Render);
  std::ranges::reverse(tasks);
  for (const FarmTask& task : tasks) doTask(loaded, task);
  EXPECT_FALSE(fs::exists(f.folder / "out" / "short.mp4")) << "only what is taken over has a name";
  EXPECT_GT(sharesDone(loaded)[0], 0.8);
  EXPECT_DOUBLE_EQ(sharesDone(loaded)[1], 1);
  for (const FarmTask& task : tasks) doTask(loaded, task);
  doStage(loaded, FarmStage::Join);
  std::vector<std::jthread> several;
  for (int i = 0; i < 3; ++i) several.emplace_back([&] { collect(loaded); });
  several.clear();
  collect(loaded);
  EXPECT_EQ(FarmShoot::outputsIn(f.folder / "out"), here);
  for (const FarmResult& result : finalResults(loaded)) EXPECT_EQ(result.state, RunState::Done) << result.why;
  removeWork(loaded);

  // The record knows them as a run of this computer would, and so do the facts.
  Batch again = f.batch();
  again.run({});
  for (const RunItem& item : again.items()) EXPECT_TRUE(item.was_there) << item.why;
}

TEST(Farm, PicturesOfEveryDepthComeThroughPartsAsTheyAre) {
  for (const Codec codec : {Codec::Ffv1, Codec::ProRes422HQ}) {
    FarmShoot f(codec);
    f.shoot.output.noise_on = f.shoot.output.shutter_on = f.shoot.output.stabilization_on = false;
    f.add("long.mp4", 60).range = FrameRange{5, 55};
    const auto here = f.renderedHere();
    Batch batch = f.batch();
    const Submission work = farmWorkOf(batch, 1).submission;
    ASSERT_EQ(work.items[0].parts.size(), 2U);
    EXPECT_TRUE(work.looks.empty()) << "nothing is to be found out";
    doAll(work);
    EXPECT_EQ(FarmShoot::outputsIn(f.folder / "out"), here) << codecName(codec);
  }
}

TEST(Farm, WhatIsThereIsNotMadeAgainAndSettingsAreAsTheyWereHandedOver) {
  FarmShoot f(Codec::Ffv1);
  f.shoot.output.noise_on = f.shoot.output.stabilization_on = false;
  f.add("a.mp4", 6);
  f.add("b.mp4", 6);
  f.shoot.clips[1].stretches = {{{0, 2}, ""}, {{3, 6}, ""}};
  const auto here = f.renderedHere();
  ASSERT_EQ(here.size(), 3U);
  {
    Batch batch = f.batch();
    const Submission work = farmWorkOf(batch, 0).submission;
    ASSERT_EQ(work.items.size(), 3U);
    // A setting that is changed while it is done, in the shoot's own file too.
    f.shoot.output.fill = 0;
    saveShoot(f.shoot, f.shoot.path);
    doAll(work);
    EXPECT_EQ(FarmShoot::outputsIn(f.folder / "out"), here);
  }
  f.shoot.output.fill = 1;
  fs::remove(f.folder / "out" / "b_2.mkv");
  Batch batch = f.batch();
  const FarmWork work = farmWorkOf(batch, 0);
  ASSERT_EQ(work.submission.items.size(), 1U) << "the earlier work is at an end, and two of three are there";
  EXPECT_EQ(work.submission.items[0].output.filename(), "b_2.mkv");
  EXPECT_TRUE(batch.items()[0].was_there);
  EXPECT_EQ(work.items, std::vector<int>{2});
  doAll(work.submission);
  EXPECT_EQ(FarmShoot::outputsIn(f.folder / "out"), here);
}

TEST(Farm, AClipThatFailsFailsAlone) {
  FarmShoot f(Codec::Ffv1);
  f.shoot.output.noise_on = f.shoot.output.stabilization_on = false;
  f.add("good.mp4", 6);
  f.add("pulled out.mp4", 6);
  f.add("taken.mp4", 6);
  f.add("gone.mp4", 60);
  Batch batch = f.batch();
  const FarmWork work = farmWorkOf(batch, 1);
  const Submission& s = work.submission;
  ASSERT_EQ(s.items.size(), 4U);
  // One of somebody else's has the name meanwhile; one clip's card is pulled out; the last one has lost its
  // computer.
  fs::create_directories(f.folder / "out");
  std::ofstream(f.folder / "out" / "taken.mkv") << "mine";
  fs::remove(f.folder / "pulled out.mp4");
  doStage(s, FarmStage::Look);
  auto tasks = tasksOf(s, FarmStage::Render);
  for (const FarmTask& task : tasks)
    if (!(task.item == 3 && task.part == 1)) doTask(s, task);
  doStage(s, FarmStage::Join);
  doStage(s, FarmStage::Collect);
  const auto results = finalResults(s);
  EXPECT_EQ(results[0].state, RunState::Done) << results[0].why;
  EXPECT_EQ(results[1].state, RunState::Failed);
  EXPECT_THAT(results[1].why, ::testing::HasSubstr("there is no such file"));
  EXPECT_EQ(results[2].state, RunState::Failed);
  EXPECT_THAT(results[2].why, ::testing::HasSubstr("exists already"));
  EXPECT_EQ(readFile(f.folder / "out" / "taken.mkv"), "mine");
  EXPECT_EQ(results[3].state, RunState::Failed);
  EXPECT_THAT(results[3].why, ::testing::HasSubstr("Part 2 of it ended without a result"));
  EXPECT_EQ(FarmShoot::outputsIn(f.folder / "out").size(), 2U);
}

TEST(Farm, AStoppedTaskLeavesNoResult) {
  FarmShoot f(Codec::Ffv1);
  f.shoot.output.noise_on = f.shoot.output.stabilization_on = false;
  f.add("a.mp4", 30);
  Batch batch = f.batch();
  const Submission s = farmWorkOf(batch, 0).submission;
  const FarmTask task = tasksOf(s, FarmStage::Render).at(0);
  std::stop_source stop;
  Progress progress{[&](double) { stop.request_stop(); }, stop.get_token()};
  EXPECT_THROW(doTask(s, task, progress), Error);
  EXPECT_FALSE(resultOf(s, 0));
  doTask(s, task);
  EXPECT_EQ(resultOf(s, 0)->state, RunState::Done);
  // A task that was thought to be dead and fails late takes nothing back.
  FarmResult late;
  late.state = RunState::Failed;
  writeResult(s, 0, late);
  EXPECT_EQ(resultOf(s, 0)->state, RunState::Done);
}

// Whoever asks for it finds the outputs there afterwards, also where another one is at it just then.
TEST(Farm, TakingOverWaitsForWhoeverIsAtIt) {
  FarmShoot f(Codec::Ffv1);
  f.shoot.output.noise_on = f.shoot.output.stabilization_on = false;
  f.add("a.mp4", 6);
  Batch batch = f.batch();
  const Submission s = farmWorkOf(batch, 0).submission;
  doStage(s, FarmStage::Render);
  std::optional<Descriptor> other(std::in_place, ::open((s.folder / "lock").c_str(), O_RDWR | O_CREAT, 0644));
  struct flock all {};
  all.l_type = F_WRLCK;
  ASSERT_EQ(::fcntl(other->fd, F_OFD_SETLK, &all), 0);
  std::atomic<bool> done = false;
  std::jthread taker([&] {
    collect(s);
    done = true;
  });
  std::this_thread::sleep_for(std::chrono::milliseconds(300));
  EXPECT_FALSE(done);
  EXPECT_FALSE(fs::exists(f.folder / "out" / "a.mkv"));
  other.reset();
  taker.join();
  EXPECT_TRUE(fs::exists(f.folder / "out" / "a.mkv"));
  // A folder that cannot be locked is no place to take anything over in.
  fs::remove(s.folder / "lock");
  fs::create_directory(s.folder / "lock");
  EXPECT_THROW(collect(s), Error);
}

// A task that was called off may still write what it says for a moment: the folder goes nevertheless.
TEST(Farm, WorkIsRemovedAlthoughATaskStillWrites) {
  const testing::ScratchFolder folder;
  Submission s;
  s.folder = folder / "work";
  fs::create_directories(s.folder / "log");
  for (int i = 0; i < 400; ++i) std::ofstream(s.folder / "log" / (std::to_string(i) + ".txt")) << "word";
  std::atomic<int> written = 0;
  const std::jthread task([&] {
    const auto end = std::chrono::steady_clock::now() + std::chrono::milliseconds(200);
    for (int i = 0; std::chrono::steady_clock::now() < end; ++i)
      if (std::ofstream(s.folder / ("late" + std::to_string(i))) << "word") ++written;
  });
  while (written < 3) std::this_thread::yield();
  removeWork(s);
  EXPECT_FALSE(fs::exists(s.folder));
}

TEST(Farm, OnlyASavedShootCanBeHandedOver) {
  FarmShoot f;
  f.add("a.mp4", 6);
  f.shoot.path.clear();
  Batch batch = f.batch();
  EXPECT_THROW(farmWorkOf(batch, 0), Error);
  EXPECT_THROW(farmStageFromName("paint"), Error);
  EXPECT_EQ(farmStageFromName("join"), FarmStage::Join);
  std::ofstream(f.folder / "work.json") << "{}";
  EXPECT_THROW(loadSubmission(f.folder.path()), Error);
}

TEST(Farm, AStoreAboveAnotherKeepsItsOwnAndKnowsBoth) {
  const testing::ScratchFolder folder;
  const FileId file{5, 0, "0123456789abcdef"};
  const auto below = std::make_shared<FactStore>(folder / "below.sqlite");
  below->put(file, "kind", "old", "1");
  below->put(file, "kind", "both", "2");
  {
    FactStore above(folder / "above.sqlite", below);
    above.put(file, "kind", "both", "3");
    EXPECT_EQ(above.find(file, "kind", "old"), "1");
    EXPECT_EQ(above.find(file, "kind", "both"), "3");
    EXPECT_EQ(above.all(file, "kind"), (std::map<std::string, std::string>{{"old", "1"}, {"both", "3"}}));
    FactStore none(std::make_shared<const FactStore>(folder / "above.sqlite"));
    none.put(file, "kind", "new", "4");
    EXPECT_EQ(none.find(file, "kind", "both"), "3");
    EXPECT_FALSE(none.find(file, "kind", "new"));
  }
  EXPECT_EQ(below->find(file, "kind", "both"), "2");
  below->takeAll(FactStore(folder / "above.sqlite"));
  EXPECT_EQ(below->find(file, "kind", "both"), "3");
  EXPECT_EQ(below->find(file, "kind", "old"), "1");
}

TEST(Program, SaysWhatItSaidAndHowItEnded) {
  const ProgramAnswer answer = runProgram({"sh", "-c", "echo out; echo err >&2; exit 3"});
  EXPECT_EQ(answer.exit_code, 3);
  EXPECT_EQ(answer.out, "out\n");
  EXPECT_EQ(answer.err, "err\n");
  EXPECT_EQ(runProgram({"sh", "-c", "kill -9 $$"}).exit_code, -1);
  // More than a pipe holds, on both.
  const auto much = runProgram({"sh", "-c", "head -c 300000 /dev/zero; head -c 300000 /dev/zero >&2"});
  EXPECT_EQ(much.out.size(), 300000U);
  EXPECT_EQ(much.err.size(), 300000U);
  EXPECT_THROW(runProgram({"no-such-program-anywhere"}), Error);
  EXPECT_TRUE(findProgram("sh"));
  EXPECT_FALSE(findProgram("no-such-program-anywhere"));
  std::stop_source stop;
  const std::jthread stopper([&] { stop.request_stop(); });
  EXPECT_THROW(runProgram({"sleep", "60"}, stop.get_token()), Error);
  EXPECT_EQ(runProgram({"sh", "-c", shellLine({"printf", "%s", "it's $HOME \"x\""})}).out,
            "it's $HOME \"x\"");
}

}  // namespace
}  // namespace glenhaze
