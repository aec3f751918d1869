#include "console/console.h"
#include "core/base/error.h"
#include "core/finish/hot_pixels.h"
#include "core/noise/iso_table.h"
#include "core/noise/quality.h"
#include "core/profile/edit.h"
#include "core/profile/verdict.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

struct NoiseRequest {
  double iso = 0;
  std::vector<std::string> patches, clips;
  std::string into, light;
  bool locked_off = false;
};

PatchRect parsePatch(const std::string& text) {
  const auto v = parsePlace(text);
  return {v[0], v[1], v[2], v[3]};
}

// Changes the noise part of a profile of the clip's mode.
void changeNoise(const std::string& file, const ClipInfo& clip,
                 const std::function<void(NoisePart&)>& change) {
  changeProfile(file, [&](Profile& profile) {
    if (profile.camera.width != clip.width || profile.camera.height != clip.height)
      throw Error(ErrorKind::BadRequest, "The shot is of another mode than the profile", clip.path.string(),
                  profile.camera.describe(), "Choose the profile of this mode");
    if (!profile.noise) profile.noise.emplace();
    change(*profile.noise);
  });
}

json curveJson(const NoiseCurve& curve) {
  return {{"iso", curve.iso},           {"level", curve.level},       {"sigma_y", curve.sigma[0]},
          {"sigma_cb", curve.sigma[1]}, {"sigma_cr", curve.sigma[2]}, {"octaves", curve.octaves}};
}

Answer measure(const NoiseRequest& r) {
  if (r.locked_off && !r.patches.empty())
    throw Error(ErrorKind::BadRequest, "--static and --patch cannot be used together", "", "",
                "A locked-off shot is measured as a whole");
  std::vector<ClipInfo> clips;
  std::vector<std::string> names;
  for (const auto& path : toPaths(r.clips)) {
    clips.push_back(readableClip(path));
    names.push_back(path.filename().string());
  }
  ProgressLine line("Measuring noise");
  NoiseFinding finding;
  if (r.locked_off) {
    finding = measureStatic(clips, r.iso, line.progress());
  } else {
    std::vector<PatchRect> patches;
    for (const std::string& text : r.patches) patches.push_back(parsePatch(text));
    std::vector<NoiseShot> shots;
    for (const ClipInfo& clip : clips) shots.push_back({clip, patches});
    finding = measurePatches(shots, r.iso, line.progress());
  }
  sayCoding(finding, clips, line.progress());
  finding.curve.light = r.light;
  Answer answer;
  answer.json = curveJson(finding.curve);
  answer.json["patches"] = json::array();
  for (const PatchVerdict& v : finding.patches)
    answer.json["patches"].push_back(
        {{"rect", {v.rect.x, v.rect.y, v.rect.width, v.rect.height}}, {"flat", v.flat}, {"why", v.why}});
  answer.json["frames"] = finding.frames;
  answer.json["share_used"] = finding.share_used;
  answer.json["warnings"] = finding.warnings;
  if (const auto& coding = finding.coding)
    answer.json["coding"] = {{"step", coding->step}, {"took", {coding->taken.least, coding->taken.most}}};
  answer.json["verdict"] = verdictOf(finding);
  answer.text = "level   sigma Y   Cb   Cr (8-bit code values)\n";
  for (size_t i = 0; i < finding.curve.level.size(); i += 8) {
    answer.text += number(finding.curve.level[i], 0);
    for (const auto& sigma : finding.curve.sigma)
      answer.text += "   " + (sigma.empty() ? std::string("–") : number(sigma[i], 2));
    answer.text += "\n";
  }
  answer.text += verdictOf(finding) + "\n";
  for (const std::string& warning : finding.warnings) answer.text += "  " + warning + "\n";
  if (!r.into.empty()) {
    changeNoise(r.into, clips.front(),
                [&](NoisePart& noise) { noise.put(noiseEntryFrom(finding, names, r.locked_off)); });
    answer.json["written"] = r.into;
    answer.text += "Written: " + r.into + "\n";
  }
  return answer;
}

Answer estimate(const std::string& profile_file, const std::string& clip_file) {
  const Profile profile = loadProfile(profile_file);
  if (!profile.noise)
    throw Error(ErrorKind::Evidence, "The ISO cannot be told", profile_file, "the profile has no noise curve",
                "Measure the noise first");
  const ClipInfo clip = readableClip(clip_file);
  ProgressLine line("Estimating ISO");
  const IsoEstimate e = estimateIso(clip, profile.noise->curves(), line.progress());
  Answer answer;
  answer.json = {
      {"iso", e.iso}, {"low", e.low}, {"high", e.high}, {"light", e.light}, {"patches", e.patches}};
  answer.text = "ISO ≈ " + number(e.iso, 0) + " (" + number(e.low, 0) + " to " + number(e.high, 0) +
                "), from " + std::to_string(e.patches) + " flat places\n";
  return answer;
}

Answer hotPixels(const std::vector<std::string>& clip_files, const std::string& into) {
  std::vector<ClipInfo> clips;
  for (const auto& path : toPaths(clip_files)) clips.push_back(readableClip(path));
  ProgressLine line("Finding hot pixels");
  const HotPixelFinding finding = findHotPixels(clips, line.progress());
  Answer answer;
  answer.json = {{"pixels", json::array()}, {"frames", finding.frames}, {"dark", finding.dark}};
  for (const HotPixel& p : finding.pixels) answer.json["pixels"].push_back({p.x, p.y, p.excess});
  answer.text = std::to_string(finding.pixels.size()) + " hot pixels in " + std::to_string(finding.frames) +
                " frames\n";
  if (!finding.dark && clips.size() < 2)
    answer.text +=
        "  The lens was not covered: give shots of other scenes too, so that sensor and scene can be told "
        "apart.\n";
  if (!into.empty()) {
    changeNoise(into, clips.front(), [&](NoisePart& noise) { noise.hot_pixels = finding.pixels; });
    answer.json["written"] = into;
    answer.text += "Written: " + into + "\n";
  }
  return answer;
}

Answer speed() {
  ProgressLine line("Trying out");
  const NoiseSpeed found = measureNoiseSpeed(line.progress());
  Answer answer;
  answer.json = {{"threads", found.threads}, {"qualities", json::array()}};
  for (const NoiseSpeed::Row& row : found.rows) {
    answer.json["qualities"].push_back({{"name", row.quality.name},
                                        {"frames_each_side", row.quality.frames_each_side},
                                        {"frames_per_second", row.fps}});
    answer.text += std::string(row.quality.name) + ": " + number(row.fps, 1) + " frames/s at 1920 × 1080\n";
  }
  answer.text += "Fastest with " + std::to_string(found.threads) + " threads\n";
  return answer;
}

}  // namespace

void addNoise(CLI::App& app, Session& session) {
  auto* noise = app.add_subcommand("noise", "Measure noise, and tell an ISO by it");
  noise->require_subcommand(1);
  auto* verb = noise->add_subcommand("measure", "Measure the noise at one ISO");
  auto r = std::make_shared<NoiseRequest>();
  verb->add_option("--iso", r->iso, "ISO of the clips")->required()->check(finiteRange(1, 1e7));
  verb->add_option("--patch", r->patches, "Flat place as X,Y,WIDTH,HEIGHT; may be given several times")
      ->take_all()
      ->expected(1)
      ->allow_extra_args(false);
  verb->add_flag("--static", r->locked_off, "The clips are locked-off: measure over time");
  verb->add_option("--light", r->light, "Variant of this ISO, as lamp-lit");
  verb->add_option("--into", r->into, "Profile to put the curve into");
  verb->add_option("CLIP", r->clips, "Footage files")->required();
  verb->callback([r, &session] { session.verb = [r] { return measure(*r); }; });
  auto* tell = noise->add_subcommand("estimate-iso", "Tell the ISO of a clip by its own noise");
  auto profile = std::make_shared<std::string>();
  auto clip = std::make_shared<std::string>();
  tell->add_option("--profile", *profile, "Profile with noise curves")->required();
  tell->add_option("CLIP", *clip, "Footage file")->required();
  auto* hot = noise->add_subcommand("hot-pixels", "Find the sensor's hot pixels on shots that hold still");
  auto hot_clips = std::make_shared<std::vector<std::string>>();
  auto hot_into = std::make_shared<std::string>();
  hot->add_option("--into", *hot_into, "Profile to put them into");
  hot->add_option("CLIP", *hot_clips, "Shots with the lens covered, or of several scenes")->required();
  hot->callback([=, &session] { session.verb = [=] { return hotPixels(*hot_clips, *hot_into); }; });
  auto* pace = noise->add_subcommand("speed", "Try out how fast each quality is on this computer");
  pace->callback([&session] { session.verb = [] { return speed(); }; });
  tell->callback([=, &session] { session.verb = [=] { return estimate(*profile, *clip); }; });
}

}  // namespace glenhaze::console
