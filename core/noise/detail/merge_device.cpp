#include "core/noise/detail/merge_device.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <span>
#include <string>
#include <vector>

#include "core/device/detail/workspace.h"
#include "core/noise/detail/planes.h"

namespace glenhaze::detail {

namespace {

constexpr const char* kMergeSource =
#include "core/noise/detail/merge.cl"
    ;

// As the kernels have it.
struct MergeArgument {
  cl_int stride, width, height;
  cl_int columns, rows;
  cl_int neighbours, first_row;
  cl_int knows_shares, others_know;
  cl_int has_trust, shrinks;
  cl_int kept, out_bytes;
  cl_float tolerance, mix, forgetting, gain, top;
};

const DeviceProgram& mergeProgram() {
  static const DeviceProgram program = [] {
    std::string constants;
    for (const auto& [name, value] : {std::pair{"STEP", kStep},
                                      {"BLOCK", kBlock},
                                      {"BORDER", kBorder},
                                      {"PHASES", kPhases},
                                      {"TAPS", kTaps},
                                      {"SCALES", kScales},
                                      {"BANDS", kBands},
                                      {"SAMPLE_UNIT", kSampleUnit}})
      constants += std::string("#define ") + name + " " + std::to_string(value) + "\n";
    return DeviceProgram{"merge", constants + kMergeSource};
  }();
  return program;
}

// The orthonormal transform as a matrix, a row for each cosine.
std::array<float, kBlockArea> cosineMatrix() {
  std::array<float, kBlockArea> matrix{};
  for (int f = 0; f < kBlock; ++f)
    for (int n = 0; n < kBlock; ++n)
      matrix[static_cast<size_t>(f * kBlock + n)] =
          static_cast<float>(std::sqrt((f == 0 ? 1.0 : 2.0) / kBlock) *
                             std::cos(std::numbers::pi * (2 * n + 1) * f / (2 * kBlock)));
  return matrix;
}

class MergeOnDevice {
 public:
  MergeOnDevice(const MergeJob& job, Workspace& space, const cl::Program& program)
      : job_(job), space_(space), program_(program) {
    blocks_ = static_cast<size_t>(job.columns) * static_cast<size_t>(job.rows);
    cells_ = static_cast<size_t>(job.columns + 1) * static_cast<size_t>(job.rows + 1);
    argument_.stride = static_cast<cl_int>(job.stride);
    argument_.width = job.width;
    argument_.height = job.height;
    argument_.columns = job.columns;
    argument_.rows = job.rows;
    argument_.neighbours = job.neighbours;
    argument_.knows_shares = job.shares != nullptr ? 1 : 0;
    argument_.shrinks = job.shrink != nullptr ? 1 : 0;
    argument_.kept = job.out == nullptr ? 1 : 0;
    argument_.out_bytes = job.out == nullptr || job.bit_depth > 8 ? 2 : 1;
    argument_.tolerance = job.tolerance;
    argument_.mix = job.mix;
    argument_.forgetting = job.forgetting;
    argument_.gain = static_cast<float>(1 << (job.bit_depth - 8));
    argument_.top = static_cast<float>((1 << job.bit_depth) - 1);
  }

  void run() {
    findCells();
    mergeBlocks();
    fetch();
  }

 private:
  cl::Buffer& plane(const char* name, const int16_t* origin) {
    const auto rows = static_cast<size_t>(job_.height + 2 * kBorder);
    return space_.filled(name, origin - kBorder * job_.stride - kBorder,
                         static_cast<size_t>(job_.stride) * rows * sizeof(int16_t));
  }

  // What is one for each neighbour, one behind the other in one buffer.
  template <typename T>
  void put(cl::Buffer& to, int n, const T* from, size_t count) {
    const size_t bytes = count * sizeof(T);
    space_.queue().enqueueWriteBuffer(to, CL_FALSE, static_cast<size_t>(n) * bytes, bytes, from);
  }

  void findCells() {
    const size_t places = static_cast<size_t>(std::max(1, job_.neighbours));
    middle_ = plane("middle", job_.plane);
    vectors_ = space_.buffer("vectors", places * cells_ * sizeof(BlockVector));
    shares_ = space_.buffer("other shares", places * blocks_ * sizeof(BandShares));
    trusts_ = space_.buffer("trusts", places * blocks_ * sizeof(float));
    differences_ = space_.buffer("differences", places * cells_ * kStep * kStep * sizeof(int16_t));
    energies_ = space_.buffer("energies", places * cells_ * kScales * sizeof(float));
    const cl::Buffer& taps = space_.filled("taps", std::span<const int16_t>(job_.tables->taps));
    for (int n = 0; n < job_.neighbours; ++n) {
      const MergeNeighbour& other = job_.neighbour[n];
      put(vectors_, n, other.cells, cells_);
      if (other.shares != nullptr) {
        put(shares_, n, other.shares, blocks_);
        argument_.others_know |= 1 << n;
      }
      if (other.trust_in != nullptr) {
        put(trusts_, n, other.trust_in, blocks_);
        argument_.has_trust = 1;
      }
    }
    for (int n = 0; n < job_.neighbours; ++n) {
      const size_t across = static_cast<size_t>(job_.columns + 1 + 7) / 8 * 8;
      space_.run(space_.kernel(program_, "merge_cells"),
                 cl::NDRange(kStep, across, static_cast<size_t>(job_.rows + 1)), cl::NDRange(kStep, 8, 1),
                 argument_, static_cast<cl_int>(n), middle_, plane("other", job_.neighbour[n].plane),
                 vectors_, taps, differences_, energies_);
    }
  }

  // As RowMerger has them.
  std::array<std::array<float, kScales>, kBands> limits() const {
    std::array<std::array<float, kScales>, kBands> all{};
    for (size_t k = 0; k < kScales; ++k)
      for (size_t b = 0; b < kBands; ++b)
        all[b][k] = surelyNoise(job_, static_cast<int>(k)) * job_.tolerance * job_.expected[k][b];
    return all;
  }

  void mergeBlocks() {
    // The blocks that overlap are kept for so many rows at once: 32 MB.
    constexpr size_t kBytesAtOnce = size_t{32} << 20;
    const size_t row_bytes = static_cast<size_t>(job_.columns) * kBlockArea * sizeof(float);
    const int at_once = static_cast<int>(std::clamp<size_t>(kBytesAtOnce / row_bytes, 2, 512));
    const cl::Buffer& blocks = space_.buffer("blocks", (static_cast<size_t>(at_once) + 1) * row_bytes);
    const auto own_limits = limits();
    static const std::array<float, kBlockArea> cosines = cosineMatrix();
    const std::array<float, kBlockArea> unshrunk{};
    const std::span shrink(job_.shrink != nullptr ? job_.shrink : unshrunk.data(), kBlockArea);
    const cl::Buffer untouched = job_.mix > 0 ? plane("untouched", job_.untouched) : middle_;
    const cl::Buffer& shares = job_.shares != nullptr
                                   ? space_.filled("shares", std::span(job_.shares, blocks_))
                                   : space_.buffer("shares", sizeof(BandShares));
    const cl::Buffer& variances = space_.filled("variances", std::span(job_.variance, blocks_));
    const cl::Buffer& spectrum = space_.filled("spectrum", std::span(job_.spectrum, kBlockArea));
    const cl::Buffer& limit = space_.filled("limits", own_limits.data(), sizeof(own_limits));
    const cl::Buffer& amount = space_.filled("shrink", std::span<const float>(shrink));
    const cl::Buffer& matrix = space_.filled("cosines", std::span<const float>(cosines));
    const cl::Buffer& window = space_.filled("window", std::span<const float>(job_.tables->window));
    kept_shares_ = space_.buffer("kept shares", blocks_ * sizeof(BandShares));
    trust_out_ = space_.buffer("trust out",
                               static_cast<size_t>(std::max(1, job_.neighbours)) * blocks_ * sizeof(float));
    out_ = space_.buffer("out", static_cast<size_t>(job_.width) * static_cast<size_t>(job_.height) *
                                    static_cast<size_t>(argument_.out_bytes));
    const size_t across = static_cast<size_t>(job_.columns + 3) / 4 * 4;
    for (int first = 0; first + 1 < job_.rows; first += at_once) {
      const int rows = std::min(at_once, job_.rows - 1 - first);
      argument_.first_row = first;
      space_.run(space_.kernel(program_, "merge_blocks"),
                 cl::NDRange(kBlock, across, static_cast<size_t>(rows + 1)), cl::NDRange(kBlock, 4, 1),
                 argument_, middle_, untouched, shares, differences_, energies_, vectors_, shares_, trusts_,
                 variances, spectrum, limit, amount, matrix, blocks, kept_shares_, trust_out_);
      space_.run(
          space_.kernel(program_, "merge_sums"),
          cl::NDRange(static_cast<size_t>(job_.width + 63) / 64 * 64, static_cast<size_t>(rows * kStep)),
          cl::NDRange(64, 1), argument_, blocks, window, out_);
    }
    // What was handed over lies in this function.
    space_.queue().finish();
  }

  void fetch() {
    const bool keeps = job_.out == nullptr;
    const size_t row = static_cast<size_t>(job_.width) * static_cast<size_t>(argument_.out_bytes);
    const size_t pitch =
        keeps ? static_cast<size_t>(job_.stride) * sizeof(int16_t) : static_cast<size_t>(job_.out_stride);
    void* to = keeps ? static_cast<void*>(job_.kept) : static_cast<void*>(job_.out);
    space_.queue().enqueueReadBufferRect(out_, CL_FALSE, {0, 0, 0}, {0, 0, 0},
                                         {row, static_cast<size_t>(job_.height), 1}, row, 0, pitch, 0, to);
    if (job_.kept_shares != nullptr)
      space_.queue().enqueueReadBuffer(kept_shares_, CL_FALSE, 0, blocks_ * sizeof(BandShares),
                                       job_.kept_shares);
    for (int n = 0; n < job_.neighbours; ++n)
      if (float* trust = job_.neighbour[n].trust_out; trust != nullptr)
        space_.queue().enqueueReadBuffer(trust_out_, CL_FALSE,
                                         static_cast<size_t>(n) * blocks_ * sizeof(float),
                                         blocks_ * sizeof(float), trust);
  }

  const MergeJob& job_;
  Workspace& space_;
  const cl::Program& program_;
  MergeArgument argument_{};
  size_t blocks_ = 0, cells_ = 0;
  cl::Buffer middle_, vectors_, shares_, trusts_, differences_, energies_, kept_shares_, trust_out_, out_;
};

}  // namespace

void mergeOnDevice(Device& device, const MergeJob& job) {
  DeviceJob::run(device, mergeProgram(), [&](Workspace& space, const cl::Program& program) {
    MergeOnDevice(job, space, program).run();
  });
}

}  // namespace glenhaze::detail
