#include "core/pipeline/detail/place_device.h"

#include <string>

#include "core/device/detail/workspace.h"
#include "core/pipeline/detail/sample_kernel.h"

namespace glenhaze::detail {

namespace {

constexpr const char* kPlaceSource =
#include "core/pipeline/detail/place.cl"
    ;

// As the kernel has it.
struct PlaneArgument {
  cl_int in_bytes, in_stride, in_width, in_height;
  cl_int out_bytes, out_width;
  cl_int grid_columns, grid_step, runs;
  cl_float step_x, offset_x;
  cl_float scale_x, scale_y, shift_x, shift_y, low, high_x, high_y;
  cl_float gain, max, black;
};

std::string defined(const char* name, const std::string& value) {
  return std::string("#define ") + name + " " + value + "\n";
}

const DeviceProgram& placeProgram() {
  // Grid points that a run of the widest chroma raster touches: 64 · 2 / 16 and three more, and one for luck.
  static const DeviceProgram program{"place",
                                     defined("RUN", std::to_string(kSmoothRun)) + defined("REACH", "16") +
                                         defined("COLUMNS", std::to_string(kSmoothColumns)) +
                                         defined("STEEPEST", std::to_string(kSmoothSteepest) + "f") +
                                         defined("BLANK", std::to_string(PlaceJob::kBlank)) +
                                         defined("EXACT", std::to_string(PlaceJob::kExact)) +
                                         defined("BORDER", std::to_string(PlaceJob::kBorder)) + kPlaceSource};
  return program;
}

PlaneArgument argumentOf(const PlaceJob& job) {
  return {job.in_bytes,
          static_cast<cl_int>(job.in_stride / job.in_bytes),
          job.in_width,
          job.in_height,
          job.out_bytes,
          job.out_width,
          job.grid_columns,
          job.grid_step,
          job.runs_in_row,
          job.step_x,
          job.offset_x,
          job.scale_x,
          job.scale_y,
          job.shift_x,
          job.shift_y,
          -job.margin,
          static_cast<float>(job.in_width) + job.margin,
          static_cast<float>(job.in_height) + job.margin,
          job.gain,
          job.max,
          job.black};
}

}  // namespace

void placeOnDevice(Device& device, const PlaceJob& job) {
  std::vector<float> row_weights;
  std::vector<cl_int> row_cells;
  for (const PlaceJob::Row& row : job.rows) {
    row_weights.insert(row_weights.end(), row.weights.begin(), row.weights.end());
    row_cells.push_back(row.cells);
  }
  DeviceJob::run(device, placeProgram(), [&](Workspace& space, const cl::Program& program) {
    const size_t out_row = static_cast<size_t>(job.out_width) * static_cast<size_t>(job.out_bytes);
    const auto out_rows = static_cast<size_t>(job.out_height);
    const size_t in_size = static_cast<size_t>(job.in_stride) * static_cast<size_t>(job.in_height - 1) +
                           static_cast<size_t>(job.in_width) * static_cast<size_t>(job.in_bytes);
    const DeviceKernels& kernels = *job.kernels;
    cl::Buffer& out = space.buffer("out", out_row * out_rows);
    space.run(space.kernel(program, "place"),
              cl::NDRange(static_cast<size_t>(job.runs_in_row * kSmoothRun), out_rows),
              cl::NDRange(static_cast<size_t>(kSmoothRun), 1), space.filled("in", job.in, in_size),
              argumentOf(job), space.filled("grid x", job.grid_x), space.filled("grid y", job.grid_y),
              space.filled("cells", std::span<const PlaceJob::Cell>(job.cells)),
              space.filled("runs", std::span<const PlaceJob::RunLevels>(job.runs)),
              space.filled("row weights", std::span<const float>(row_weights)),
              space.filled("row cells", std::span<const cl_int>(row_cells)),
              space.filled("weights", std::span<const float>(kernels.weights)),
              space.filled("levels", std::span<const std::array<int, 4>>(kernels.levels)),
              space.filled("fitted", std::span<const std::array<float, 28>>(kernels.fitted)), out);
    space.queue().enqueueReadBufferRect(out, CL_FALSE, {0, 0, 0}, {0, 0, 0}, {out_row, out_rows, 1}, out_row,
                                        0, static_cast<size_t>(job.out_stride), 0, job.out);
  });
}

}  // namespace glenhaze::detail
