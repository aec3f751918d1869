#pragma once
// What a profile's file was before each change of it, kept beside it, so that an earlier state can be looked
// at and brought back.

#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

namespace glenhaze {

/// One earlier state.
struct ProfileStep {
  int64_t at_s = 0;     ///< when it was replaced, since 1970
  std::string text;     ///< the whole file
  std::string changed;  ///< what the change that followed was about: "lens, noise"
};

/// Newest first; empty where there is none, or it cannot be read.
std::vector<ProfileStep> historyOf(const std::filesystem::path& file);

/// Keeps `before`, which is about to be replaced by `after`; the oldest beyond a hundred go. Never throws: a
/// history that cannot be written must not keep anybody from changing a profile.
void keepStep(const std::filesystem::path& file, const std::string& before, const std::string& after);

/// Parts in which two files' texts differ: "lens, noise"; "" for none.
std::string partsThatDiffer(const std::string& a, const std::string& b);

/// The history's own name in a folder of profiles.
constexpr const char* kHistoryName = ".glenhaze-history.sqlite";

}  // namespace glenhaze
