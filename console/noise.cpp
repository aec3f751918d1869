#include <sstream>

#include "console/console.h"
#include "core/base/error.h"
#include "core/noise/iso_table.h"
#include "core/profile/profile.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

struct MeasureRequest {
  double iso = 0;
  std::vector<std::string> patches, clips;
  std::string into, light;
  bool locked_off = false;
};

PatchRect parsePatch(const std::string& text) {
  PatchRect r;
  char a = 0, b = 0, c = 0;
  std::istringstream in(text);
  if (!(in >> r.x >> a >> r.y >> b >> r.width >> c >> r.height) || a != ',' || b != ',' || c != ',' ||
      !in.eof() || r.width <= 0 || r.height <= 0)
    throw Error(ErrorKind::BadRequest, "The patch is not usable", text, "",
                "Write it as X,Y,WIDTH,HEIGHT in pixels");
  return r;
}

json curveJson(const NoiseCurve& curve) {
  return {{"iso", curve.iso},           {"level", curve.level},       {"sigma_y", curve.sigma[0]},
          {"sigma_cb", curve.sigma[1]}, {"sigma_cr", curve.sigma[2]}, {"octaves", curve.octaves}};
}

Answer measure(const MeasureRequest& r) {
  if (r.locked_off && !r.patches.empty())
    throw Error(ErrorKind::BadRequest, "--static and --patch cannot be used together", "", "",
                "A locked-off shot is measured as a whole");
  std::vector<ClipInfo> clips;
  std::vector<std::string> names;
  for (const auto& path : toPaths(r.clips)) {
    clips.push_back(probe(path));
    if (!clips.back().readable())
      throw Error(ErrorKind::Unreadable, "The clip cannot be read", path.string(),
                  clips.back().problems.front().text, "");
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
  answer.text = "level   sigma Y   Cb   Cr (8-bit code values)\n";
  for (size_t i = 0; i < finding.curve.level.size(); i += 8) {
    answer.text += number(finding.curve.level[i], 0);
    for (const auto& sigma : finding.curve.sigma)
      answer.text += "   " + (sigma.empty() ? std::string("–") : number(sigma[i], 2));
    answer.text += "\n";
  }
  for (const std::string& warning : finding.warnings) answer.text += "  " + warning + "\n";
  if (!r.into.empty()) {
    Profile profile = loadProfile(r.into);
    if (profile.camera.width != clips.front().width || profile.camera.height != clips.front().height)
      throw Error(ErrorKind::BadRequest, "The shot is of another mode than the profile",
                  clips.front().path.string(), profile.camera.describe(), "Choose the profile of this mode");
    if (!profile.noise) profile.noise.emplace();
    profile.noise->put(noiseEntryFrom(finding, names, r.locked_off));
    saveProfile(profile, r.into);
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
  const ClipInfo clip = probe(clip_file);
  if (!clip.readable())
    throw Error(ErrorKind::Unreadable, "The clip cannot be read", clip_file, clip.problems.front().text, "");
  ProgressLine line("Estimating ISO");
  const IsoEstimate e = estimateIso(clip, profile.noise->curves(), line.progress());
  Answer answer;
  answer.json = {
      {"iso", e.iso}, {"low", e.low}, {"high", e.high}, {"light", e.light}, {"patches", e.patches}};
  answer.text = "ISO ≈ " + number(e.iso, 0) + " (" + number(e.low, 0) + " to " + number(e.high, 0) +
                "), from " + std::to_string(e.patches) + " flat places\n";
  return answer;
}

}  // namespace

void addNoise(CLI::App& app, Session& session) {
  auto* noise = app.add_subcommand("noise", "Measure noise, and tell an ISO by it");
  noise->require_subcommand(1);
  auto* verb = noise->add_subcommand("measure", "Measure the noise at one ISO");
  auto r = std::make_shared<MeasureRequest>();
  verb->add_option("--iso", r->iso, "ISO of the clips")->required()->check(CLI::Range(1.0, 1e7));
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
  tell->callback([=, &session] { session.verb = [=] { return estimate(*profile, *clip); }; });
}

}  // namespace glenhaze::console
