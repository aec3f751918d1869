#pragma once
// What became of work that other computers do: read from the files that their tasks wrote, and taken over
// into the output folder and its record by one process at a time.

#include <optional>
#include <string>

#include "core/farm/submission.h"
#include "core/run/batch.h"

namespace glenhaze {

/// Of one output.
struct FarmResult {
  RunState state = RunState::Done;  ///< Done, Failed, Skipped or Cancelled
  std::string why;                  ///< of a failure or a skip; what was done otherwise
  std::filesystem::path file;       ///< the whole output before it has its name
  std::string fingerprint, parts;   ///< for the record
  int64_t frames = 0;
  uint64_t bytes = 0;
  std::string checked;
  double seconds = 0;  ///< of work, on whatever computers
};

/// Of a part of one: where its frames are, and what they do not say themselves.
struct FarmPart {
  std::optional<FarmResult> failed;  ///< it could not be made, and why
  std::filesystem::path file;
  std::string fingerprint;
  Frame tags;  ///< its first frame, without a picture
  std::vector<int64_t> pts, durations;
  std::vector<std::string> notes;  ///< sentences about the clip
  double seconds = 0;
};

// Where tasks write. Throw Error(Unwritable).
std::filesystem::path factsFile(const Submission& submission, int item);
void writeResult(const Submission& submission, int item, const FarmResult& result);
void writePart(const Submission& submission, int item, int part, const FarmPart& made);
/// What is read is empty where it is not there yet.
std::optional<FarmResult> resultOf(const Submission& submission, int item);
std::optional<FarmPart> partOf(const Submission& submission, int item, int part);
void writeShare(const Submission& submission, const FarmTask& task, double share);

/// How far each output is, 0..1, by what its tasks have written last; −1 where none has begun.
std::vector<double> sharesDone(const Submission& submission);

/// Gives their names to outputs that are whole and puts them into the record; what was found out about clips
/// goes to the shoot's facts. What cannot get its name is a failure of that output. Safe to be called by
/// several at once, each waits for the other, and again. Throws Error(Unwritable) where the folder cannot be
/// written to, or locked.
void collect(const Submission& submission);

/// What every output came to: after collect(), and when no task is at work any more. Outputs of which nothing
/// is known have failed.
std::vector<FarmResult> finalResults(const Submission& submission);

/// Removes what tasks have made, and leaves what they have said.
void removeMade(const Submission& submission);
/// Removes all that tasks have written, and the submission.
void removeWork(const Submission& submission);

}  // namespace glenhaze
