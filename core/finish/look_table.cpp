#include <OpenColorIO/OpenColorIO.h>

#include <algorithm>
#include <string_view>
#include <vector>

#include "core/base/error.h"
#include "core/finish/colour.h"

namespace glenhaze {

namespace ocio = OCIO_NAMESPACE;

struct LookTable::State {
  ocio::ConstCPUProcessorRcPtr processor;
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

// The same as a table, which is many times as fast. A log picture is spread as evenly as eyes see, so that
// the steps of the table are.
ocio::ConstCPUProcessorRcPtr asTable(const ocio::ConstCPUProcessorRcPtr& exact) {
  constexpr unsigned kSide = 65;
  const auto table = ocio::Lut3DTransform::Create(kSide);
  for (unsigned r = 0; r < kSide; ++r)
    for (unsigned g = 0; g < kSide; ++g)
      for (unsigned b = 0; b < kSide; ++b) {
        constexpr float kStep = 1.0F / (kSide - 1);
        float rgb[3] = {kStep * static_cast<float>(r), kStep * static_cast<float>(g),
                        kStep * static_cast<float>(b)};
        exact->applyRGB(rgb);
        table->setValue(r, g, b, rgb[0], rgb[1], rgb[2]);
      }
  table->setInterpolation(ocio::INTERP_TETRAHEDRAL);
  return ocio::Config::CreateRaw()->getProcessor(table)->getOptimizedCPUProcessor(
      ocio::OPTIMIZATION_LOSSLESS);
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
    table.state_->processor = asTable(screenProcessor(name));
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
    state_->processor = ocio::Config::CreateRaw()->getProcessor(transform)->getOptimizedCPUProcessor(
        ocio::OPTIMIZATION_LOSSLESS);
  } catch (const ocio::Exception& error) {
    fail(error.what());
  }
}

LookTable::~LookTable() = default;
LookTable::LookTable(LookTable&&) noexcept = default;
LookTable& LookTable::operator=(LookTable&&) noexcept = default;

void LookTable::apply(float* rgb, int pixels) const {
  ocio::PackedImageDesc row(rgb, pixels, 1, 3);
  state_->processor->apply(row);
}

}  // namespace glenhaze
