#include "core/pipeline/device_trial.h"

#include <algorithm>
#include <chrono>

#include "core/noise/detail/trial_footage.h"
#include "core/pipeline/chain.h"

namespace glenhaze {

namespace {

// What most clips need: noise, and a lens that bends.
Correction trialCorrection() {
  Correction correction;
  correction.noise = detail::trialCurve();
  Lens lens;
  lens.width = 1920;
  lens.height = 1080;
  lens.fx = lens.fy = 1150;
  lens.cx = 959.5;
  lens.cy = 539.5;
  lens.k = {-0.2, 0.05, 0, 0, 0};
  correction.lens = lens;
  return correction;
}

double trialSpeed(const std::vector<Frame>& frames, const Progress& progress) {
  // The first ones fill the window, build the kernels and warm everything up.
  constexpr int kWarm = 1, kCounted = 6;
  // Who is this slow is not waited for.
  constexpr double kLongest_s = 1.5;
  Chain chain(trialCorrection(), {1920, 1080}, {});
  const auto now = [] { return std::chrono::steady_clock::now(); };
  auto started = now();
  const auto seconds = [&] { return std::chrono::duration<double>(now() - started).count(); };
  for (int pushed = 0, done = 0;; ++pushed) {
    if (!chain.push(frames[static_cast<size_t>(pushed) % frames.size()], progress)) continue;
    if (++done == kWarm) started = now();
    if (done == kWarm + kCounted || (done > kWarm && seconds() > kLongest_s))
      return (done - kWarm) / seconds();
  }
}

DeviceTrial::Row triedOut(const std::string& choice, const DeviceInfo& device,
                          const std::vector<Frame>& frames, const Progress& progress) {
  DeviceTrial::Row row{choice, device, 0, {}};
  try {
    const DeviceChoice chosen = choiceFrom(choice);
    const DeviceUseHere use(chosen);
    row.fps = trialSpeed(frames, progress);
    if (chosen.device) row.why = chosen.device->whyNot();
  } catch (const DeviceFailure& failure) {
    row.why = failure.why();
  }
  return row;
}

}  // namespace

const DeviceTrial::Row& DeviceTrial::best() const {
  constexpr double kMustBring = 1.1;
  const Row* best = &rows.front();
  for (const Row& row : rows)
    if (row.why.empty() && row.fps > (best == &rows.front() ? kMustBring : 1) * best->fps) best = &row;
  return *best;
}

DeviceTrial tryDevices(const Progress& progress) {
  const std::vector<Frame> frames = detail::trialFootage(5);
  const std::vector<DeviceInfo> devices = computeDevices();
  std::vector<std::pair<std::string, DeviceInfo>> choices{{"", {}}};
  for (const DeviceInfo& device : devices)
    for (const char* parts : {"", "clean ", "place "}) choices.emplace_back(parts + device.id, device);
  DeviceTrial found;
  for (const auto& [choice, device] : choices) {
    found.rows.push_back(triedOut(choice, device, frames, progress));
    progress.update(static_cast<double>(found.rows.size()) / static_cast<double>(choices.size()));
  }
  return found;
}

std::string choiceParts(const std::string& choice) {
  if (choice.starts_with("clean ")) return "noise removal";
  if (choice.starts_with("place ")) return "resampling";
  return "both parts";
}

}  // namespace glenhaze
