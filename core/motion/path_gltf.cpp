#include "core/motion/path_gltf.h"

#include <array>
#include <bit>
#include <cmath>
#include <cstring>
#include <vector>

#include "core/base/base64.h"
#include "core/base/error.h"
#include "core/base/json_text.h"

namespace glenhaze {

namespace {

using nlohmann::json;

constexpr int kFloat = 5126;  // glTF's number for 32-bit floating point

// glTF's camera looks along −z with y up, ours along z with y down: half a turn about x between them.
std::array<float, 4> turnedOver(const Quaternion& q) {
  return {static_cast<float>(q.x), static_cast<float>(-q.y), static_cast<float>(-q.z),
          static_cast<float>(q.w)};
}

// Everything binary in one run of floats, described as it grows.
class Numbers {
 public:
  int add(const std::vector<float>& values, const char* type, size_t each, bool with_range) {
    views_.push_back({{"buffer", 0},
                      {"byteOffset", floats_.size() * sizeof(float)},
                      {"byteLength", values.size() * sizeof(float)}});
    json accessor = {{"bufferView", views_.size() - 1},
                     {"componentType", kFloat},
                     {"count", values.size() / each},
                     {"type", type}};
    // Required of an animation's times.
    if (with_range) {
      accessor["min"] = {values.front()};
      accessor["max"] = {values.back()};
    }
    accessors_.push_back(accessor);
    floats_.insert(floats_.end(), values.begin(), values.end());
    return static_cast<int>(accessors_.size()) - 1;
  }
  void into(json& gltf) const {
    // The format is little-endian, as every machine that this is built for.
    static_assert(std::endian::native == std::endian::little);
    std::vector<unsigned char> bytes(floats_.size() * sizeof(float));
    std::memcpy(bytes.data(), floats_.data(), bytes.size());
    gltf["buffers"] = json::array(
        {{{"byteLength", bytes.size()}, {"uri", "data:application/octet-stream;base64," + base64(bytes)}}});
    gltf["bufferViews"] = views_;
    gltf["accessors"] = accessors_;
  }

 private:
  std::vector<float> floats_;
  json views_ = json::array(), accessors_ = json::array();
};

}  // namespace

std::string pathToGltf(const CameraPath& path, std::span<const VirtualFrame> steadied, const Lens& lens) {
  if (path.empty())
    throw Error(ErrorKind::BadRequest, "There is no camera path to write", "", "",
                "Analyse the motion first");
  std::vector<float> times;
  for (const PathFrame& frame : path.frames())
    times.push_back(static_cast<float>(frame.time_s - path.frames().front().time_s));
  Numbers numbers;
  const int time = numbers.add(times, "SCALAR", 1, true);
  json gltf = {{"asset", {{"version", "2.0"}, {"generator", "Glenhaze"}}}};
  gltf["cameras"] = json::array(
      {{{"type", "perspective"},
        {"name", "straight picture"},
        {"perspective",
         {{"yfov", 2 * std::atan(lens.height / (2 * lens.fy))},
          {"aspectRatio", lens.width / lens.fx * lens.fy / lens.height},
          {"znear", 0.01}}},
        {"extras",
         {{"width_px", lens.width}, {"height_px", lens.height}, {"centre_px", {lens.cx, lens.cy}}}}}});
  const auto add = [&](const char* name, const auto& frames) {
    std::vector<float> turns;
    Quaternion before = frames.front().orientation;
    for (const auto& frame : frames) {
      // A turn has two signs: the nearer one, so that what is between two frames is the short way.
      Quaternion q = normalized(frame.orientation);
      if (q.w * before.w + q.x * before.x + q.y * before.y + q.z * before.z < 0) q = {-q.w, -q.x, -q.y, -q.z};
      before = q;
      const auto turned = turnedOver(q);
      turns.insert(turns.end(), turned.begin(), turned.end());
    }
    const int output = numbers.add(turns, "VEC4", 4, false);
    const size_t node = gltf.contains("nodes") ? gltf["nodes"].size() : 0;
    gltf["nodes"].push_back({{"name", name}, {"camera", 0}});
    gltf["animations"].push_back(
        {{"name", name},
         {"samplers", json::array({{{"input", time}, {"output", output}, {"interpolation", "LINEAR"}}})},
         {"channels", json::array({{{"sampler", 0}, {"target", {{"node", node}, {"path", "rotation"}}}}})}});
  };
  add("as filmed", path.frames());
  if (steadied.size() == path.frames().size()) add("steadied", steadied);
  json nodes = json::array();
  for (size_t i = 0; i < gltf["nodes"].size(); ++i) nodes.push_back(i);
  gltf["scenes"] = json::array({{{"nodes", nodes}}});
  gltf["scene"] = 0;
  numbers.into(gltf);
  return jsonText(gltf) + "\n";
}

}  // namespace glenhaze
