#pragma once
// What one piece of work on a device has to itself: a queue, kernels, and memory that is kept for the next
// one.

#include <map>
#include <memory>
#include <span>
#include <string>

#include "core/device/detail/opencl.h"
#include "core/device/device.h"

namespace glenhaze::detail {

/// Kernels in OpenCL C 1.2.
struct DeviceProgram {
  const char* name;    ///< tells programs apart
  std::string source;  ///< all of it
};

class Workspace {
 public:
  Workspace(const cl::Context& context, const cl::Device& device)
      : queue_(context, device), context_(context) {}

  /// At least so large, with whatever was in it.
  cl::Buffer& buffer(const std::string& name, size_t bytes);
  /// The same, filled; `from` has to stand until the queue has been waited for.
  template <typename T>
  cl::Buffer& filled(const std::string& name, std::span<const T> from) {
    return filled(name, from.data(), from.size_bytes());
  }
  cl::Buffer& filled(const std::string& name, const void* from, size_t bytes);

  cl::CommandQueue& queue() { return queue_; }
  cl::Kernel& kernel(const cl::Program& program, const char* name);

  /// The kernel over `items` in groups, with these arguments.
  template <typename... Args>
  void run(cl::Kernel& kernel, const cl::NDRange& items, const cl::NDRange& group, const Args&... args) {
    cl_uint at = 0;
    (kernel.setArg(at++, args), ...);
    queue_.enqueueNDRangeKernel(kernel, cl::NullRange, items, group);
  }

 private:
  struct Held {
    cl::Buffer buffer;
    size_t bytes = 0;
  };
  cl::CommandQueue queue_;
  cl::Context context_;
  std::map<std::string, Held> buffers_;
  std::map<std::string, cl::Kernel> kernels_;
};

/// A workspace and a program, for one piece of work at a time. OpenCL's errors become DeviceFailure.
class DeviceJob {
 public:
  /// `f(workspace, program)`; all that it put into the queue is done when this returns.
  template <typename F>
  static void run(Device& device, const DeviceProgram& program, F f) {
    DeviceJob job(device);
    try {
      f(*job.workspace_, job.built(program));
      job.workspace_->queue().finish();
    } catch (const cl::Error& error) {
      job.fail(error.what(), error.err());
    }
    job.keep();
  }

 private:
  explicit DeviceJob(Device& device);
  const cl::Program& built(const DeviceProgram& program);
  [[noreturn]] void fail(const char* call, int code);
  void keep();

  Device& device_;
  std::unique_ptr<Workspace> workspace_;
};

}  // namespace glenhaze::detail
