// The path as glTF, read back by another reader (tinygltf) and projected as the format says.
#include "core/motion/path_gltf.h"

#include <gtest/gtest.h>

#define TINYGLTF_IMPLEMENTATION
#define TINYGLTF_NO_STB_IMAGE
#define TINYGLTF_NO_STB_IMAGE_WRITE
#define TINYGLTF_NO_EXTERNAL_IMAGE
#pragma GCC diagnostic push
#pragma GCC diagnostic ignored "-Wall"
#pragma GCC diagnostic ignored "-Wextra"
#include <tiny_gltf.h>
#pragma GCC diagnostic pop

#include <Eigen/Geometry>
#include <cmath>

#include "core/base/error.h"
#include "tests/support/footage.h"
#include "tests/support/motion.h"

namespace glenhaze {
namespace {

// What the file says of one node, as any program would read it.
class ReadCamera {
 public:
  ReadCamera(const tinygltf::Model& model, int node) : model_(model) {
    const auto& camera = model.cameras[static_cast<size_t>(model.nodes[static_cast<size_t>(node)].camera)];
    yfov_ = camera.perspective.yfov;
    aspect_ = camera.perspective.aspectRatio;
    height_ = camera.extras.Get("height_px").GetNumberAsDouble();
    width_ = camera.extras.Get("width_px").GetNumberAsDouble();
    centre_ = {camera.extras.Get("centre_px").Get(0).GetNumberAsDouble(),
               camera.extras.Get("centre_px").Get(1).GetNumberAsDouble()};
    for (const auto& animation : model.animations)
      for (const auto& channel : animation.channels)
        if (channel.target_node == node) {
          times_ = floats(animation.samplers[static_cast<size_t>(channel.sampler)].input, 1);
          turns_ = floats(animation.samplers[static_cast<size_t>(channel.sampler)].output, 4);
        }
  }
  size_t frames() const { return times_.size(); }
  double time(size_t i) const { return times_[i]; }
  // A direction in glTF's world, to pixels of the picture (centres at whole numbers).
  Point project(const Eigen::Vector3d& direction, size_t frame) const {
    const Eigen::Quaterniond turn(turns_[4 * frame + 3], turns_[4 * frame], turns_[4 * frame + 1],
                                  turns_[4 * frame + 2]);
    const Eigen::Vector3d seen = turn.conjugate() * direction;
    const double half = std::tan(yfov_ / 2);
    const double x = seen.x() / -seen.z() / (half * aspect_), y = seen.y() / -seen.z() / half;
    const Point middle{(width_ - 1) / 2, (height_ - 1) / 2};
    return Point{middle.x + x * width_ / 2, middle.y - y * height_ / 2} + (centre_ - middle);
  }

 private:
  std::vector<double> floats(int accessor, size_t each) const {
    const auto& a = model_.accessors[static_cast<size_t>(accessor)];
    const auto& view = model_.bufferViews[static_cast<size_t>(a.bufferView)];
    const auto& data = model_.buffers[static_cast<size_t>(view.buffer)].data;
    std::vector<double> out(a.count * each);
    for (size_t i = 0; i < out.size(); ++i) {
      float v = 0;
      std::memcpy(&v, data.data() + view.byteOffset + a.byteOffset + 4 * i, 4);
      out[i] = v;
    }
    return out;
  }
  const tinygltf::Model& model_;
  double yfov_ = 0, aspect_ = 0, width_ = 0, height_ = 0;
  Point centre_;
  std::vector<double> times_, turns_;
};

TEST(PathGltf, TenPointsInTenFramesLieWhereTheyAre) {
  const Lens lens = testing::testLens(LensModel::BrownConrady, 1280, 720);
  std::vector<PathFrame> frames(24);
  std::vector<VirtualFrame> steadied(24);
  for (size_t i = 0; i < frames.size(); ++i) {
    const double t = static_cast<double>(i) / 30;
    frames[i].time_s = 2 + t;
    frames[i].orientation = rotationOf({0.1 * std::sin(9 * t), 0.6 * t, 0.05 * std::cos(7 * t)});
    steadied[i].orientation = rotationOf({0, 0.6 * t, 0});
  }
  const std::string text = pathToGltf(CameraPath(frames), steadied, lens);
  tinygltf::Model model;
  std::string trouble, warning;
  tinygltf::TinyGLTF reader;
  ASSERT_TRUE(reader.LoadASCIIFromString(&model, &trouble, &warning, text.data(),
                                         static_cast<unsigned>(text.size()), ""))
      << trouble;
  EXPECT_EQ(trouble + warning, "");
  ASSERT_EQ(model.nodes.size(), 2U);
  for (const int node : {0, 1}) {
    const ReadCamera camera(model, node);
    ASSERT_EQ(camera.frames(), frames.size());
    EXPECT_NEAR(camera.time(0), 0, 1e-6);
    EXPECT_NEAR(camera.time(23), 23.0 / 30, 1e-5);
    int compared = 0;
    for (size_t f = 0; f < 20; f += 2)
      for (int p = 0; p < 10; ++p) {
        // Of the scene, in the first frame's axes: right, down, forward.
        const Ray d{-0.5 + 0.1 * p, -0.3 + 0.05 * p, 1};
        const Ray seen = inverse(node == 0 ? frames[f].orientation : steadied[f].orientation) * d;
        const Point truth{lens.cx + lens.fx * seen.x / seen.z, lens.cy + lens.fy * seen.y / seen.z};
        EXPECT_LT(length(camera.project({d.x, -d.y, -d.z}, f) - truth), 0.1);
        ++compared;
      }
    EXPECT_EQ(compared, 100);
  }
  EXPECT_THROW(pathToGltf(CameraPath(), {}, lens), Error);
}

}  // namespace
}  // namespace glenhaze
