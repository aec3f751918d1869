#pragma once
// Work for many computers that share a disk: what each of their tasks is to do, kept in a folder of ours
// beside the outputs. Every task writes files of its own there, so that no two ever meet; one process at a
// time takes over what is done (see results.h). Settings are as they were when the work was handed over.
//
//   look     one task a clip of which several tasks follow: what its pictures have to be asked is found out
//   render   one task an output, or a part of a long one
//   join     one task an output of several parts: the same file as if it had been rendered by one
//   collect  once, at the end: what is whole gets its name

#include <filesystem>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/media/writer.h"
#include "core/run/plan.h"

namespace glenhaze {

/// One output.
struct FarmItem {
  std::filesystem::path clip, output;  ///< absolute
  std::optional<FrameRange> range;     ///< in and out points, or the stretch that this output is of
  std::vector<FrameRange> parts;       ///< each rendered by a task of its own; empty: by one task
};

enum class FarmStage { Look, Render, Join, Collect };
constexpr int kFarmStages = 4;
const char* farmStageName(FarmStage stage);
/// Throws Error(BadRequest).
FarmStage farmStageFromName(const std::string& name);

struct FarmTask {
  FarmStage stage = FarmStage::Render;
  int item = 0;   ///< index into Submission::items; of Look the first one of the clip; of Collect 0
  int part = -1;  ///< index into its parts; −1: all of it
  bool operator==(const FarmTask&) const = default;
};

struct Submission {
  std::filesystem::path folder;                                         ///< where tasks and results are kept
  std::filesystem::path shoot;                                          ///< the file that it was made from
  std::string shoot_json;                                               ///< as it was
  std::vector<std::pair<std::filesystem::path, std::string>> profiles;  ///< as they were
  std::vector<FarmItem> items;
  std::vector<int> looks;         ///< the first item of each clip that is looked at before
  std::vector<std::string> jobs;  ///< numbers that the engine gave
};

/// Where the work for an output folder is kept.
std::filesystem::path farmFolder(const std::filesystem::path& outputs);

using SharedPlans = std::vector<std::shared_ptr<const ClipPlan>>;

/// `to_render`, one plan for each output, as tasks; one of more than one and a half times `chunk_s` is
/// rendered in parts of about that, 0: none is. `plans`: all of the shoot, whose footage is never written to.
/// Throws Error(BadRequest) for a shoot that is not saved.
Submission submissionOf(const SharedPlans& plans, const SharedPlans& to_render, double chunk_s);

/// Writes it to its folder, which is made. Throws Error(Unwritable).
void saveSubmission(const Submission& submission);
/// Throws Error(Unreadable).
Submission loadSubmission(const std::filesystem::path& folder);
/// Whether there is one.
bool hasSubmission(const std::filesystem::path& folder);

/// In order; a task's index in here is its number.
std::vector<FarmTask> tasksOf(const Submission& submission, FarmStage stage);

/// The plan of an output, with what `store` knows of its clip. Throws Error(Unreadable).
ClipPlan planOf(const Submission& submission, const FarmItem& item, FactStore& store);

}  // namespace glenhaze
