#include <OpenColorIO/OpenColorIO.h>

#include "core/base/error.h"
#include "core/finish/colour.h"

namespace glenhaze {

namespace ocio = OCIO_NAMESPACE;

struct LookTable::State {
  ocio::ConstCPUProcessorRcPtr processor;
};

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
