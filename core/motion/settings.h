#pragma once
// The stabilization settings by name, for files, command line and checks: one list for all.

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/motion/stabilize.h"
#include "core/motion/tracks.h"

namespace glenhaze {

struct StabilizationKey {
  const char* name;
  double low, high;
  double (*get)(const StabilizationSettings&);
  void (*set)(StabilizationSettings&, double);  ///< takes what is within low and high
};
/// Those that are numbers; 0 and 1 for what is on or off.
std::span<const StabilizationKey> stabilizationKeys();

/// "off", "keep-move", "hold-still" and "filled", "filled-slowly", "uncropped", as in files and on the
/// command line.
std::string steadyingName(Steadying steadying);
std::optional<Steadying> steadyingFromName(const std::string& name);
std::string framingName(Framing framing);
std::optional<Framing> framingFromName(const std::string& name);

/// KEY = VALUE on the command line. Throws Error(BadRequest) naming what is wrong.
void setByName(StabilizationSettings& settings, const std::string& key, const std::string& value);

/// As JSON text, for files that hold them; values out of range are held to it, unknown names to the default.
std::string stabilizationToText(const StabilizationSettings& settings);
StabilizationSettings stabilizationFromText(const std::string& text);

/// Masks likewise.
std::string masksToText(const std::vector<MotionMask>& masks);
std::vector<MotionMask> masksFromText(const std::string& text);

}  // namespace glenhaze
