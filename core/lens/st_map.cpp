#include "core/lens/st_map.h"

#include <ImfChannelList.h>
#include <ImfFrameBuffer.h>
#include <ImfHeader.h>
#include <ImfOutputFile.h>

#include <cmath>

#include "core/base/error.h"
#include "core/base/parallel.h"

namespace glenhaze {

PictureSize roomySize(PictureSize straight, double room) {
  return {straight.width + 2 * static_cast<int>(std::lround(room * straight.width)),
          straight.height + 2 * static_cast<int>(std::lround(room * straight.height))};
}
StMap stMapOf(PictureSize size, PictureSize other, const std::function<std::optional<Point>(Point)>& place) {
  StMap map{size.width, size.height, {}, {}};
  map.s.assign(static_cast<size_t>(size.width) * static_cast<size_t>(size.height), -1);
  map.t = map.s;
  parallelBlocks(size.height, 16, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      for (int x = 0; x < size.width; ++x) {
        const auto at = place({static_cast<double>(x), static_cast<double>(y)});
        if (!at) continue;
        const size_t i = static_cast<size_t>(y) * static_cast<size_t>(size.width) + static_cast<size_t>(x);
        map.s[i] = static_cast<float>((at->x + 0.5) / other.width);
        map.t[i] = static_cast<float>(1 - (at->y + 0.5) / other.height);
      }
  });
  return map;
}

void writeStMap(const StMap& map, const std::filesystem::path& file) {
  std::vector<float> alpha(map.s.size());
  for (size_t i = 0; i < alpha.size(); ++i) alpha[i] = map.s[i] == -1 && map.t[i] == -1 ? 0.0F : 1.0F;
  const std::filesystem::path part = file.string() + ".part";
  try {
    Imf::Header header(map.width, map.height);
    header.compression() = Imf::ZIP_COMPRESSION;
    Imf::FrameBuffer buffer;
    const auto add = [&](const char* name, const std::vector<float>& values) {
      header.channels().insert(name, Imf::Channel(Imf::FLOAT));
      buffer.insert(name, Imf::Slice(Imf::FLOAT, reinterpret_cast<char*>(const_cast<float*>(values.data())),
                                     sizeof(float), sizeof(float) * static_cast<size_t>(map.width)));
    };
    add("R", map.s);
    add("G", map.t);
    add("A", alpha);
    Imf::OutputFile out(part.c_str(), header);
    out.setFrameBuffer(buffer);
    out.writePixels(map.height);
  } catch (const std::exception& error) {
    std::error_code code;
    std::filesystem::remove(part, code);
    throw Error(ErrorKind::Unwritable, "The map cannot be written", file.string(), error.what(),
                "Check the folder, and that there is room");
  }
  std::error_code code;
  std::filesystem::rename(part, file, code);
  if (code)
    throw Error(ErrorKind::Unwritable, "The map cannot be written", file.string(), code.message(), "");
}

}  // namespace glenhaze
