#pragma once
// Other programs of this computer: started, waited for, and what they say.

#include <filesystem>
#include <optional>
#include <stop_token>
#include <string>
#include <vector>

namespace glenhaze {

struct ProgramAnswer {
  int exit_code = -1;  ///< −1: ended by a signal
  std::string out, err;
};

/// Where a program of this name is, by PATH; empty where there is none.
std::optional<std::filesystem::path> findProgram(const std::string& name);

/// Runs a program and waits for its end. `words`: its name or path, then its arguments. Throws
/// Error(Unreadable) when it cannot be started; Error(Cancelled) when a stop is asked for meanwhile, and it
/// is ended then.
ProgramAnswer runProgram(const std::vector<std::string>& words, const std::stop_token& stop = {});

/// The words as a line for a shell, whatever they hold.
std::string shellLine(const std::vector<std::string>& words);

}  // namespace glenhaze
