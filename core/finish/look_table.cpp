#include <OpenColorIO/OpenColorIO.h>

#include <algorithm>
#include <array>
#include <string_view>
#include <vector>

#include "core/base/error.h"
#include "core/finish/colour.h"
#include "core/finish/detail/grade_kernel.h"

namespace glenhaze {

namespace ocio = OCIO_NAMESPACE;

struct LookTable::State {
  detail::GradeRows rows;
  detail::CubeTable cube;                  ///< of three dimensions over 0..1, as nearly all are
  ocio::ConstCPUProcessorRcPtr processor;  ///< of what is none
};

namespace {

constexpr std::string_view kToScene = "_to_ACES2065-1";

// Those that are no camera's: linear ones, and densities of film.
bool isLogCurve(std::string_view name) {
  return name.ends_with(kToScene) && (name.find("LOG") != name.npos || name.find("ACEScc") == 0);
}

// From a log picture, through the light of the scene, to a screen.
ocio::ConstCPUProcessorRcPtr screenProcessor(const std::string& curve) {
  const auto group = ocio::GroupTransform::Create();
  for (const std::string& style :
       {curve + std::string(kToScene), std::string("ACES-OUTPUT - ACES2065-1_to_CIE-XYZ-D65 - SDR-VIDEO_1.0"),
        std::string("DISPLAY - CIE-XYZ-D65_to_REC.1886-REC.709")}) {
    const auto one = ocio::BuiltinTransform::Create();
    one->setStyle(style.c_str());
    group->appendTransform(one);
  }
  return ocio::Config::CreateRaw()->getProcessor(group)->getDefaultCPUProcessor();
}

/// `colourAt`: from a node's place on the axes of red, green and blue.
template <typename Colour>
detail::CubeTable cubeOf(unsigned side, Colour colourAt) {
  detail::CubeTable table{static_cast<int>(side), {}};
  table.nodes.reserve(size_t{4} * side * side * side);
  for (unsigned b = 0; b < side; ++b)
    for (unsigned g = 0; g < side; ++g)
      for (unsigned r = 0; r < side; ++r) {
        const std::array<float, 3> rgb = colourAt(r, g, b);
        table.nodes.insert(table.nodes.end(), {rgb[0], rgb[1], rgb[2], 0});
      }
  return table;
}

// The same as a table, which is many times as fast. A log picture is spread as evenly as eyes see, so that
// the steps of the table are.
detail::CubeTable asTable(const ocio::ConstCPUProcessorRcPtr& exact) {
  constexpr unsigned kSide = 65;
  return cubeOf(kSide, [&](unsigned r, unsigned g, unsigned b) {
    constexpr float kStep = 1.0F / (kSide - 1);
    std::array<float, 3> rgb = {kStep * static_cast<float>(r), kStep * static_cast<float>(g),
                                kStep * static_cast<float>(b)};
    exact->applyRGB(rgb.data());
    return rgb;
  });
}

// A file that holds one table of three dimensions and nothing else, neither a range of its own nor curves
// before it; else without nodes.
detail::CubeTable onlyCubeOf(const ocio::ConstProcessorRcPtr& processor) {
  const auto group = processor->createGroupTransform();
  if (group->getNumTransforms() != 1) return {};
  const auto table = std::dynamic_pointer_cast<const ocio::Lut3DTransform>(
      std::const_pointer_cast<const ocio::Transform>(group->getTransform(0)));
  constexpr unsigned long kMostSide = 129;
  if (!table || table->getDirection() != ocio::TRANSFORM_DIR_FORWARD || table->getGridSize() < 2 ||
      table->getGridSize() > kMostSide)
    return {};
  return cubeOf(static_cast<unsigned>(table->getGridSize()), [&](unsigned r, unsigned g, unsigned b) {
    std::array<float, 3> rgb{};
    table->getValue(r, g, b, rgb[0], rgb[1], rgb[2]);
    return rgb;
  });
}

}  // namespace

const std::vector<std::string>& logCurves() {
  static const std::vector<std::string> names = [] {
    std::vector<std::string> found;
    const auto known = ocio::BuiltinTransformRegistry::Get();
    for (size_t i = 0; i < known->getNumBuiltins(); ++i)
      if (const std::string_view style = known->getBuiltinStyle(i); isLogCurve(style))
        found.emplace_back(style.substr(0, style.size() - kToScene.size()));
    std::ranges::sort(found);
    return found;
  }();
  return names;
}

void requireLogCurve(const std::string& name) {
  if (name.empty() || std::ranges::find(logCurves(), name) != logCurves().end()) return;
  std::string known = "Known:";
  for (const std::string& one : logCurves()) known += (known.back() == ':' ? " " : ", ") + one;
  throw Error(ErrorKind::BadRequest, "There is no log curve of this name", name, "", known);
}

LookTable::LookTable() : state_(std::make_unique<State>()) {}

LookTable LookTable::ofLogCurve(const std::string& name) {
  requireLogCurve(name);
  LookTable table;
  try {
    table.state_->cube = asTable(screenProcessor(name));
  } catch (const ocio::Exception& error) {
    throw Error(ErrorKind::BadRequest, "The log curve cannot be taken out", name, error.what(), "");
  }
  return table;
}

LookTable::LookTable(const std::filesystem::path& file) : state_(std::make_unique<State>()) {
  const auto fail = [&](const std::string& why) {
    throw Error(ErrorKind::Unreadable, "The look cannot be read", file.string(), why,
                "Give a .cube file with a table of one or three dimensions");
  };
  if (!std::filesystem::is_regular_file(file)) fail("there is no such file");
  constexpr std::uintmax_t kMost = 256U << 20;
  if (std::filesystem::file_size(file) > kMost) fail("it is larger than any table");
  try {
    ocio::ClearAllCaches();  // the file may have been written anew since
    const auto transform = ocio::FileTransform::Create();
    transform->setSrc(file.c_str());
    transform->setInterpolation(ocio::INTERP_BEST);  // in three dimensions: by tetrahedra
    const auto processor = ocio::Config::CreateRaw()->getProcessor(transform);
    state_->cube = onlyCubeOf(processor);
    state_->processor = processor->getOptimizedCPUProcessor(ocio::OPTIMIZATION_LOSSLESS);
  } catch (const ocio::Exception& error) {
    fail(error.what());
  }
}

LookTable::~LookTable() = default;
LookTable::LookTable(LookTable&&) noexcept = default;
LookTable& LookTable::operator=(LookTable&&) noexcept = default;

void LookTable::apply(float* r, float* g, float* b, int count, float gain, float offset) const {
  if (state_->cube.side > 0) return state_->rows.throughCube(state_->cube, {r, g, b}, count, gain, offset);
  std::vector<float> rgb(static_cast<size_t>(count) * 3);
  for (int x = 0; x < count; ++x) {
    float* to = rgb.data() + static_cast<ptrdiff_t>(x) * 3;
    to[0] = r[x] * gain + offset;
    to[1] = g[x] * gain + offset;
    to[2] = b[x] * gain + offset;
  }
  ocio::PackedImageDesc row(rgb.data(), count, 1, 3);
  state_->processor->apply(row);
  const float back = 1 / gain;
  for (int x = 0; x < count; ++x) {
    const float* from = rgb.data() + static_cast<ptrdiff_t>(x) * 3;
    r[x] = (from[0] - offset) * back;
    g[x] = (from[1] - offset) * back;
    b[x] = (from[2] - offset) * back;
  }
}

}  // namespace glenhaze
