#pragma once
// Footage whose truth is known, made once per test program, and a folder to put things in.

#include <filesystem>
#include <functional>
#include <string>

#include "core/frame/frame.h"
#include "core/lens/model.h"
#include "simulator/recipe.h"

namespace glenhaze::testing {

/// A folder of its own that is removed at the end.
class ScratchFolder {
 public:
  ScratchFolder();
  ~ScratchFolder();
  std::filesystem::path operator/(const std::string& name) const { return path_ / name; }
  const std::filesystem::path& path() const { return path_; }

 private:
  std::filesystem::path path_;
};

/// A small lens of each family for a picture of this size; bends clearly.
Lens testLens(LensModel model, int width = 320, int height = 180);

/// A small camera looking at the mill.
sim::CameraSetup smallCamera(LensModel model = LensModel::BrownConrady, int width = 320, int height = 180);
sim::SimCamera millCamera(const sim::CameraSetup& setup);

/// A small film of a few frames with sound and tags.
sim::FilmSettings smallFilm(int64_t frames = 12);
std::filesystem::path makeFilm(const std::filesystem::path& path, const sim::FilmSettings& settings,
                               const sim::CameraSetup& setup = smallCamera());

/// A film that other tests make too: made once where GLENHAZE_TEST_FILMS names a folder, which is a new one
/// for each run of all tests, and copied to `path`. `key`: like no other, and everything that the film
/// depends on.
std::filesystem::path rememberedFilm(const std::filesystem::path& path, const std::string& key,
                                     const std::function<void(const std::filesystem::path&)>& make);

/// What the ffmpeg program makes of `arguments` before the output's name; footage that our own code had no
/// part in. Throws std::runtime_error when it fails.
std::filesystem::path makeWithFfmpeg(const std::filesystem::path& path, const std::string& arguments);

/// PSNR between the first planes of two frames, dB.
double lumaPsnr(const Frame& a, const Frame& b, int border = 0);

/// A frame with value f(x, y) in its first plane and mid-grey chroma.
template <typename F>
Frame paint(int width, int height, PixelFormat format, F f) {
  Frame frame = makeFrame(width, height, format);
  frame.colour = {1, 1, 1, false, ChromaSiting::Left};
  for (size_t p = 0; p < static_cast<size_t>(format.numPlanes()); ++p)
    for (int y = 0; y < frame.planes[p].height; ++y)
      for (int x = 0; x < frame.planes[p].width; ++x) {
        const int value = p == 0 ? f(x, y) : 1 << (format.bit_depth - 1);
        if (format.bit_depth > 8)
          frame.planes[p].row<uint16_t>(y)[x] = static_cast<uint16_t>(value);
        else
          frame.planes[p].row<uint8_t>(y)[x] = static_cast<uint8_t>(value);
      }
  return frame;
}

}  // namespace glenhaze::testing
