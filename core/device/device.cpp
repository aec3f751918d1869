#include "core/device/device.h"

#include <algorithm>
#include <atomic>
#include <cctype>
#include <map>
#include <mutex>
#include <utility>

#include "core/device/detail/workspace.h"

namespace glenhaze {

namespace {

// Drivers pad names with spaces, and some end them with a zero.
std::string tidied(std::string name) {
  std::string out;
  for (const char c : name)
    if (c == '\0')
      break;
    else if (std::isspace(static_cast<unsigned char>(c)) == 0)
      out += c;
    else if (!out.empty() && out.back() != ' ')
      out += ' ';
  while (!out.empty() && out.back() == ' ') out.pop_back();
  return out;
}

struct Found {
  DeviceInfo info;
  cl::Device device;
};

bool usable(const cl::Device& device) {
  return device.getInfo<CL_DEVICE_AVAILABLE>() != 0 && device.getInfo<CL_DEVICE_COMPILER_AVAILABLE>() != 0 &&
         device.getInfo<CL_DEVICE_ENDIAN_LITTLE>() != 0;
}

Found foundOf(const cl::Device& device) {
  Found found{{}, device};
  found.info.name = tidied(device.getInfo<CL_DEVICE_NAME>());
  found.info.id = found.info.name;
  found.info.memory = device.getInfo<CL_DEVICE_GLOBAL_MEM_SIZE>();
  found.info.processor = (device.getInfo<CL_DEVICE_TYPE>() & CL_DEVICE_TYPE_CPU) != 0;
  return found;
}

std::vector<Found> allFound() {
  std::vector<Found> all;
  std::vector<cl::Platform> platforms;
  try {
    cl::Platform::get(&platforms);
  } catch (const cl::Error&) {
    return all;  // no driver at all
  }
  for (const cl::Platform& platform : platforms) try {
      std::vector<cl::Device> devices;
      platform.getDevices(CL_DEVICE_TYPE_ALL, &devices);
      for (const cl::Device& device : devices)
        if (usable(device)) all.push_back(foundOf(device));
    } catch (const cl::Error&) {
      // A driver without devices, or a broken one: the others may do.
    }
  // Two cards of one make are told apart by their number.
  std::map<std::string, int> seen;
  for (Found& one : all)
    if (const int number = ++seen[one.info.name]; number > 1) one.info.id += " #" + std::to_string(number);
  return all;
}

}  // namespace

DeviceFailure::DeviceFailure(const DeviceInfo& device, std::string why)
    : Error(ErrorKind::BadRequest, "The device cannot be used", device.name, std::move(why),
            "Choose another one in Preferences, or the processor") {}

std::vector<DeviceInfo> computeDevices() {
  std::vector<DeviceInfo> infos;
  for (const Found& one : allFound()) infos.push_back(one.info);
  return infos;
}

class Device::Impl {
 public:
  Impl(const Found& found, int fails_after)
      : info(found.info), device(found.device), context(found.device), pieces_left(fails_after) {}

  const DeviceInfo info;
  cl::Device device;
  cl::Context context;
  std::atomic<int> pieces_left;

  std::mutex mutex;
  std::string why_not;
  std::map<std::string, cl::Program> programs;
  std::vector<std::unique_ptr<detail::Workspace>> free;
};

Device::Device(std::unique_ptr<Impl> impl) : impl_(std::move(impl)) {}
Device::~Device() = default;

std::shared_ptr<Device> Device::open(const std::string& id, int fails_after) {
  for (const Found& one : allFound()) {
    if (one.info.id != id) continue;
    try {
      return std::shared_ptr<Device>(new Device(std::make_unique<Impl>(one, fails_after)));
    } catch (const cl::Error& error) {
      throw DeviceFailure(one.info, std::string(error.what()) + ": " + std::to_string(error.err()));
    }
  }
  throw DeviceFailure({id, id}, "there is no such device here");
}

const DeviceInfo& Device::info() const { return impl_->info; }

std::string Device::whyNot() const {
  const std::scoped_lock lock(impl_->mutex);
  return impl_->why_not;
}

void Device::giveUp(const std::string& why) {
  const std::scoped_lock lock(impl_->mutex);
  if (impl_->why_not.empty()) impl_->why_not = why.empty() ? "it failed" : why;
  impl_->free.clear();
}

namespace detail {

cl::Buffer& Workspace::buffer(const std::string& name, size_t bytes) {
  Held& held = buffers_[name];
  if (held.bytes < bytes) {
    held = {};  // room for the new one
    held.buffer = cl::Buffer(context_, CL_MEM_READ_WRITE, bytes);
    held.bytes = bytes;
  }
  return held.buffer;
}

cl::Buffer& Workspace::filled(const std::string& name, const void* from, size_t bytes) {
  cl::Buffer& to = buffer(name, std::max<size_t>(bytes, 1));
  if (bytes > 0) queue_.enqueueWriteBuffer(to, CL_FALSE, 0, bytes, from);
  return to;
}

cl::Kernel& Workspace::kernel(const cl::Program& program, const char* name) {
  const auto known = kernels_.find(name);
  return known != kernels_.end() ? known->second
                                 : kernels_.emplace(name, cl::Kernel(program, name)).first->second;
}

DeviceJob::DeviceJob(Device& device) : device_(device) {
  Device::Impl& impl = device.impl();
  if (impl.pieces_left >= 0 && impl.pieces_left-- == 0) {
    impl.pieces_left = 0;
    throw DeviceFailure(impl.info, "it fails on purpose");
  }
  {
    const std::scoped_lock lock(impl.mutex);
    if (!impl.free.empty()) {
      workspace_ = std::move(impl.free.back());
      impl.free.pop_back();
      return;
    }
  }
  try {
    workspace_ = std::make_unique<Workspace>(impl.context, impl.device);
  } catch (const cl::Error& error) {
    fail(error.what(), error.err());
  }
}

const cl::Program& DeviceJob::built(const DeviceProgram& program) {
  Device::Impl& impl = device_.impl();
  const std::scoped_lock lock(impl.mutex);
  const auto known = impl.programs.find(program.name);
  if (known != impl.programs.end()) return known->second;
  cl::Program made(impl.context, program.source);
  try {
    made.build(std::vector{impl.device}, "-cl-std=CL1.2");
  } catch (const cl::BuildError& error) {
    const auto log = error.getBuildLog();
    throw DeviceFailure(impl.info, log.empty() ? "its driver does not build the kernels" : log[0].second);
  }
  return impl.programs.emplace(program.name, std::move(made)).first->second;
}

void DeviceJob::fail(const char* call, int code) {
  throw DeviceFailure(device_.impl().info, std::string(call) + ": " + std::to_string(code));
}

void DeviceJob::keep() {
  // As many as work at once: one that cleans, one that places.
  constexpr size_t kKept = 2;
  Device::Impl& impl = device_.impl();
  const std::scoped_lock lock(impl.mutex);
  if (impl.free.size() < kKept && impl.why_not.empty()) impl.free.push_back(std::move(workspace_));
}

}  // namespace detail

namespace {

// What belongs to the process, as its number of threads does.
struct Chosen {
  std::mutex mutex;
  DeviceChoice choice;
};
Chosen& chosen() {
  static Chosen one;
  return one;
}

DeviceChoice exchanged(DeviceChoice choice) {
  const std::scoped_lock lock(chosen().mutex);
  return std::exchange(chosen().choice, std::move(choice));
}

}  // namespace

DeviceUse::DeviceUse(DeviceChoice choice) : before_(exchanged(std::move(choice))) {}
DeviceUse::~DeviceUse() { exchanged(std::move(before_)); }
void DeviceUse::change(DeviceChoice choice) { exchanged(std::move(choice)); }

namespace {

thread_local const DeviceChoice* chosen_here = nullptr;

DeviceChoice choiceNow() {
  if (chosen_here != nullptr) return *chosen_here;
  const std::scoped_lock lock(chosen().mutex);
  return chosen().choice;
}

}  // namespace

DeviceUseHere::DeviceUseHere(DeviceChoice choice)
    : choice_(std::move(choice)), before_(std::exchange(chosen_here, &choice_)) {}
DeviceUseHere::~DeviceUseHere() { chosen_here = before_; }

std::shared_ptr<Device> deviceFor(DeviceWork work) {
  const DeviceChoice choice = choiceNow();
  const bool does = work == DeviceWork::Clean ? choice.cleans : choice.places;
  return choice.device && does && choice.device->whyNot().empty() ? choice.device : nullptr;
}

std::string deviceTrouble() {
  const std::shared_ptr<Device> device = choiceNow().device;
  return device ? device->whyNot() : "";
}

namespace {
constexpr std::string_view kCleansOnly = "clean ", kPlacesOnly = "place ";
}

std::string choiceText(const DeviceChoice& choice) {
  if (!choice.device || !(choice.cleans || choice.places)) return "";
  std::string text = choice.device->info().id;
  if (!choice.places) text.insert(0, kCleansOnly);
  if (!choice.cleans) text.insert(0, kPlacesOnly);
  return text;
}

DeviceChoice choiceFrom(const std::string& text) {
  DeviceChoice choice;
  std::string id = text;
  const auto without = [&](std::string_view word, bool& other) {
    if (!id.starts_with(word)) return;
    id.erase(0, word.size());
    other = false;
  };
  without(kCleansOnly, choice.places);
  if (choice.places) without(kPlacesOnly, choice.cleans);
  if (!id.empty()) choice.device = Device::open(id);
  return choice;
}

}  // namespace glenhaze
