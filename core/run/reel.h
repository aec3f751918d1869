#pragma once
// All outputs of a shoot in one file, one after the other, with cross-dissolves where they are wanted, sound
// included. Nothing is rendered twice: finished frames go straight into the joined file.

#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "core/clip/fact_store.h"
#include "core/run/batch.h"

namespace glenhaze {

struct ReelRequest {
  std::filesystem::path output;  ///< its ending must suit the format, see reelEnding
  double dissolve_s = 0;
  Replace replace = Replace::Ours;
};

struct ReelResult {
  std::filesystem::path path;
  int64_t frames = 0;
  int parts = 0;
  double seconds = 0;
  bool was_there = false;  ///< made by an earlier run of the same clips with the same settings
  std::string checked;
  std::vector<std::string> notes;  ///< about the clips, with their names
};

/// Whether two outputs can be parts of one film; see makeReel for why not.
bool canStandWith(const ClipPlan& output, const ClipPlan& like);

/// ".mp4", ".mov" or ".mkv", by the format of the shoot.
std::string reelEnding(const EncodeSettings& encode);

/// Clips that a run would not render are left out and named in the notes. Sound goes over into the next part
/// with the picture; without a dissolve within a hundredth of a second, so that nothing clicks. Throws
/// Error(BadRequest) where clips cannot stand in one file (see cutListOf; different sizes, formats or
/// colours), Error(Unreadable), Error(Unwritable), Error(Cancelled); nothing is left of the output then.
ReelResult makeReel(std::span<const ClipPlan> plans, const ReelRequest& request, FactStore& store,
                    const Progress& progress = {});

}  // namespace glenhaze
