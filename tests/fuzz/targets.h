#pragma once
// What is read from files that somebody else may have written, each fed with any bytes. A target returns for
// whatever it is given, or throws Error with a reason; anything else is a defect.

#include <cstdint>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

namespace glenhaze::fuzz {

using Bytes = std::span<const uint8_t>;

struct Target {
  const char* name;
  void (*run)(Bytes bytes);
  /// Inputs to begin with, made by ourselves.
  std::vector<std::string> (*seeds)();
};

/// Profiles, shoots, motion logs, subtitles, clips, and what is kept beside a shoot.
std::span<const Target> targets();

/// Runs a target; false, with `why` filled in, when it did what it must not. Crashes are the sanitizers'.
bool holds(const Target& target, Bytes bytes, std::string& why);

}  // namespace glenhaze::fuzz
