#include "console/console.h"
#include "core/base/parallel.h"
#include "core/profile/match.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

json describe(const ClipInfo& info) {
  json problems = json::array();
  for (const ClipProblem& p : info.problems) problems.push_back(p.text);
  return {{"path", info.path.string()},
          {"width", info.width},
          {"height", info.height},
          {"fps", info.width > 0 ? info.fps.text() : ""},
          {"frames", info.frames},
          {"duration_s", info.duration_s},
          {"codec", info.codec},
          {"pixel_format", info.pixel_format},
          {"bit_depth", info.width > 0 ? info.format.bit_depth : 0},
          {"audio", !info.sound.empty()},
          {"rotation", info.rotation},
          {"variable_rate", info.variable_rate},
          {"interlaced", info.interlaced},
          {"camera", {{"make", info.make}, {"model", info.model}, {"name", cameraNameOf(info)}}},
          {"iso", info.iso ? json(*info.iso) : json(nullptr)},
          {"creation_time", info.creation_time},
          {"timecode", info.timecode},
          {"readable", info.readable()},
          {"problems", problems}};
}

std::string line(const ClipInfo& info) {
  std::string text = info.path.string() + "\n";
  if (info.width > 0) {
    const std::string camera = cameraNameOf(info);
    text += "  " + std::to_string(info.width) + " × " + std::to_string(info.height) + ", " +
            number(info.fps.value(), 2) + " frames/s, " + std::to_string(info.frames) + " frames, " +
            number(info.duration_s, 2) + " s, " + info.codec + " " + info.pixel_format + "\n  camera " +
            (camera.empty() ? "not said" : camera) + ", ISO " +
            (info.iso ? std::to_string(*info.iso) : "not said") + "\n";
  }
  for (const ClipProblem& p : info.problems) text += "  " + p.text + "\n";
  return text;
}

Answer runProbe(const std::vector<std::string>& clips) {
  Answer answer;
  answer.json["clips"] = json::array();
  size_t unreadable = 0;
  const auto paths = toPaths(clips);
  std::vector<ClipInfo> infos(paths.size());
  parallelBlocks(static_cast<int>(paths.size()), 1, [&](int first, int last) {
    for (int i = first; i < last; ++i) infos[static_cast<size_t>(i)] = probe(paths[static_cast<size_t>(i)]);
  });
  for (const ClipInfo& info : infos) {
    unreadable += info.readable() ? 0U : 1U;
    answer.json["clips"].push_back(describe(info));
    answer.text += line(info);
  }
  if (unreadable > 0) answer.exit_code = unreadable == clips.size() ? kInputUnusable : kSomeFailed;
  return answer;
}

}  // namespace

void addProbe(CLI::App& app, Session& session) {
  auto* verb = app.add_subcommand("probe", "Say what footage files are");
  auto clips = std::make_shared<std::vector<std::string>>();
  verb->add_option("CLIP", *clips, "Footage files, stills, or sequences as name_%04d.png")->required();
  verb->callback([clips, &session] { session.verb = [clips] { return runProbe(*clips); }; });
}

}  // namespace glenhaze::console
