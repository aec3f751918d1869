#pragma once
// Devices that compute beside the processor, through OpenCL (the Khronos Group, "The OpenCL Specification",
// 1.2, 2012): which ones there are, and which of them does what in this process. Whatever a device is given
// it may hand back: then the processor does it, and all that follows.

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

#include "core/base/error.h"

namespace glenhaze {

struct DeviceInfo {
  std::string id;          ///< stays the same from start to start
  std::string name;        ///< its own, for people
  uint64_t memory = 0;     ///< bytes
  bool processor = false;  ///< OpenCL on the processor itself
};

/// All that there are, in the order of their drivers; none is no error.
std::vector<DeviceInfo> computeDevices();

/// What was to be done on a device is to be done by the processor.
class DeviceFailure : public Error {
 public:
  explicit DeviceFailure(const DeviceInfo& device, std::string why);
};

/// An opened device. Safe from several threads.
class Device {
 public:
  /// `fails_after` ≥ 0: a stand-in for one that fails on purpose, after so many pieces of work.
  /// Throws DeviceFailure when there is none of this id, or when it cannot be used.
  static std::shared_ptr<Device> open(const std::string& id, int fails_after = -1);
  ~Device();
  Device(const Device&) = delete;
  Device& operator=(const Device&) = delete;

  const DeviceInfo& info() const;
  /// Why it is not to be used any more; empty while it is.
  std::string whyNot() const;
  void giveUp(const std::string& why);

  class Impl;  // of those who compute with it; see detail/workspace.h
  Impl& impl() { return *impl_; }

 private:
  explicit Device(std::unique_ptr<Impl> impl);
  std::unique_ptr<Impl> impl_;
};

/// Parts of the correction that a device can do.
enum class DeviceWork { Clean, Place };

/// What of this process's work is done on a device.
struct DeviceChoice {
  std::shared_ptr<Device> device;  ///< null: the processor does all
  bool cleans = true, places = true;
};

/// Says it for as long as it lives, then what was said before holds again; like the number of threads it
/// belongs to the computer, not to a clip. What has begun may end as it began.
class DeviceUse {
 public:
  explicit DeviceUse(DeviceChoice choice);
  ~DeviceUse();
  DeviceUse(const DeviceUse&) = delete;
  DeviceUse& operator=(const DeviceUse&) = delete;
  /// Another choice from now on.
  void change(DeviceChoice choice);

 private:
  DeviceChoice before_;
};

/// The same for what the thread that made it begins, whatever holds for the process: for trials beside other
/// work.
class DeviceUseHere {
 public:
  explicit DeviceUseHere(DeviceChoice choice);
  ~DeviceUseHere();
  DeviceUseHere(const DeviceUseHere&) = delete;
  DeviceUseHere& operator=(const DeviceUseHere&) = delete;

 private:
  DeviceChoice choice_;
  const DeviceChoice* before_;
};

/// The device that does this; null: the processor.
std::shared_ptr<Device> deviceFor(DeviceWork work);

/// Why the device that was chosen is not used any more; empty while it is, and where none was chosen.
std::string deviceTrouble();

/// Runs `on_device` where a device does such work, and tells whether it was done: not where there is none, or
/// when it fails, after which it is not asked again.
template <typename F>
bool doneOnDevice(DeviceWork work, F on_device) {
  const std::shared_ptr<Device> device = deviceFor(work);
  if (!device) return false;
  try {
    on_device(*device);
    return true;
  } catch (const DeviceFailure& failure) {
    device->giveUp(failure.why());
    return false;
  }
}

/// A choice as it is kept in settings and given to programs: nothing for the processor, else the device's id,
/// with "clean " or "place " before it where it does only that.
std::string choiceText(const DeviceChoice& choice);
/// Opens the device. Throws DeviceFailure.
DeviceChoice choiceFrom(const std::string& text);

}  // namespace glenhaze
