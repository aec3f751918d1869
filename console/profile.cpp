#include "console/console.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"
#include "core/motion/settings.h"
#include "core/profile/edit.h"
#include "core/profile/library.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

std::string lensText(const LensPart& part) {
  const Lens& lens = part.lens;
  std::string text = "  lens: " + lensModelName(lens.model) + ", focal " + number(lens.fx, 1) + " × " +
                     number(lens.fy, 1) + " px, centre " + number(lens.cx, 1) + ", " + number(lens.cy, 1) +
                     "\n   ";
  const auto names = coefficientNames(lens.model);
  for (size_t i = 0; i < names.size(); ++i) text += " " + names[i] + " " + number(lens.k[i], 5);
  text += "\n    " + (part.rms_px >= 0 ? number(part.rms_px, 3) + " px RMS, " : std::string()) + part.method +
          ", " + std::to_string(part.evidence.size()) + " pieces of evidence\n";
  return text;
}

Answer showProfiles(const std::vector<std::string>& files, bool check) {
  Answer answer;
  answer.json["profiles"] = json::array();
  size_t bad = 0;
  for (const auto& path : toPaths(files)) {
    json entry = {{"path", path.string()}};
    try {
      const Profile profile = loadProfile(path);
      const auto notes = checkProfile(profile);
      entry["profile"] = parseJson(profileToJson(profile));
      entry["usable"] = true;
      entry["notes"] = notes;
      answer.text += path.string() + ": " + profile.camera.name + ", " + profile.camera.describe() + "\n";
      if (!check && profile.lens) answer.text += lensText(*profile.lens);
      for (const auto& note : notes) answer.text += "  " + note + "\n";
      if (check && notes.empty()) answer.text += "  nothing to remark\n";
    } catch (const Error& error) {
      ++bad;
      entry["usable"] = false;
      entry["notes"] = {error.what()};
      answer.text += std::string(error.what()) + "\n";
    }
    answer.json["profiles"].push_back(entry);
  }
  if (bad > 0) answer.exit_code = bad == files.size() ? kInputUnusable : kSomeFailed;
  return answer;
}

Answer exportProfile(const std::string& file, const std::string& format, const std::string& out) {
  const Profile profile = loadProfile(file);
  if (format == "opencv")
    writeFileAtomically(out, toOpenCvYaml(profile));
  else if (format == "noise-csv")
    writeFileAtomically(out, noiseTableCsv(profile));
  else
    writeFileAtomically(out, profileToJson(profile));
  Answer answer;
  answer.json = {{"written", out}, {"format", format}};
  answer.text = "Written: " + out + "\n";
  return answer;
}

struct ImportRequest {
  std::string file, camera, view, medium = "air", out;
  bool overwrite = false;
};

Answer importProfile(const ImportRequest& request) {
  CameraMode mode;
  mode.name = request.camera;
  mode.view = request.view;
  mode.medium = request.medium;
  createProfile(fromOpenCvFile(request.file, mode), request.out,
                request.overwrite ? ExistingProfile::Replace : ExistingProfile::Refuse);
  Answer answer;
  answer.json = {{"written", request.out}};
  answer.text = "Written: " + request.out + "\n";
  return answer;
}

Answer setParts(const std::string& file, const std::vector<std::string>& settings) {
  changeProfile(file, [&](Profile& profile) {
    for (const std::string& text : settings) {
      const PartSetting setting = partSetting(text);
      if (setting.part == "noise") {
        if (!profile.noise) profile.noise.emplace();
        setByName(profile.noise->denoise, setting.key, setting.value);
      } else if (setting.part == "stabilization") {
        setByName(*settingsOfPart<&Profile::stabilization>(profile), setting.key, setting.value);
      } else if (setting.part == "finish") {
        setByName(*settingsOfPart<&Profile::finish>(profile), setting.key, setting.value);
      } else {
        throw Error(ErrorKind::BadRequest, "There is no setting of this name", text, "",
                    "Known: noise.KEY, stabilization.KEY, finish.KEY");
      }
    }
  });
  Answer answer;
  answer.json = {{"written", file}};
  answer.text = "Written: " + file + "\n";
  return answer;
}

}  // namespace

void addProfile(CLI::App& app, Session& session) {
  auto* profile = app.add_subcommand("profile", "Look at, check, export and import correction profiles");
  profile->require_subcommand(1);
  for (const bool check : {false, true}) {
    auto* verb = profile->add_subcommand(check ? "check" : "show",
                                         check ? "Say what is missing or odd" : "Show what was measured");
    auto files = std::make_shared<std::vector<std::string>>();
    verb->add_option("PROFILE", *files, "Profile files")->required();
    verb->callback([files, check, &session] { session.verb = [=] { return showProfiles(*files, check); }; });
  }
  auto* set = profile->add_subcommand("set", "Set how a camera's clips are treated");
  auto into = std::make_shared<std::string>();
  auto settings = std::make_shared<std::vector<std::string>>();
  set->add_option("--into", *into, "Profile to change")->required();
  set->add_option("PART.KEY=VALUE", *settings, "What to set, as finish.crisp=0.5")->required();
  set->callback([=, &session] { session.verb = [=] { return setParts(*into, *settings); }; });
  auto* out = profile->add_subcommand("export", "Write a profile in another format");
  auto format = std::make_shared<std::string>();
  auto target = std::make_shared<std::string>();
  auto source = std::make_shared<std::string>();
  out->add_option("--as", *format, "opencv, json or noise-csv")
      ->required()
      ->check(CLI::IsMember({"opencv", "json", "noise-csv"}));
  out->add_option("--out", *target, "File to write")->required();
  out->add_option("PROFILE", *source, "Profile file")->required();
  out->callback([=, &session] { session.verb = [=] { return exportProfile(*source, *format, *target); }; });
  auto* in = profile->add_subcommand("import", "Make a profile from an OpenCV calibration file");
  auto request = std::make_shared<ImportRequest>();
  in->add_option("--camera", request->camera, "Camera name")->required();
  in->add_option("--view", request->view, "Field-of-view setting");
  in->add_option("--medium", request->medium, "air, flat-port-fresh or flat-port-sea");
  in->add_option("--out", request->out, "Profile to write")->required();
  in->add_flag("--overwrite", request->overwrite, "Replace a profile that exists");
  in->add_option("CALIBRATION", request->file, "OpenCV YAML, XML or JSON file")->required();
  in->callback([=, &session] { session.verb = [=] { return importProfile(*request); }; });
}

}  // namespace glenhaze::console
