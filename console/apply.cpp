#include <algorithm>
#include <cmath>
#include <iostream>
#include <sstream>

#include "console/console.h"
#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/finish/settings.h"
#include "core/motion/settings.h"
#include "core/profile/library.h"
#include "core/run/batch.h"
#include "core/run/status.h"
#include "core/treat/name_pattern.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

struct ApplyRequest {
  std::vector<std::string> profiles, clips, only, settings;
  std::string out, size, shape = "fill", place, codec, quality = "standard", sound = "keep", encoder, match,
                         report;
  double fill = 100;
  int iso = 0;
  bool overwrite = false, deinterlace = false, hold_damage = false, by_itself = false;
};

void addParts(const std::string& text, std::vector<std::string>& parts) {
  std::istringstream in(text);
  for (std::string part; std::getline(in, part, ',');) parts.push_back(part);
}

// What is wrong with a list of parts; "" when nothing is.
std::string unknownPart(const std::string& text) {
  static const std::vector<std::string> kParts = {"lens", "shutter", "noise", "stabilization", "finish"};
  std::vector<std::string> parts;
  addParts(text, parts);
  for (const std::string& part : parts)
    if (std::find(kParts.begin(), kParts.end(), part) == kParts.end())
      return "There is no part \"" + part + "\": known are lens, shutter, noise, stabilization, finish";
  return parts.empty() ? "No part is given" : "";
}

// These and no others, each asked for by name.
void setParts(OutputSettings& output, const std::vector<std::string>& parts) {
  const auto wanted = [&](const char* part) {
    return std::find(parts.begin(), parts.end(), part) != parts.end();
  };
  output.lens_on = wanted("lens");
  output.shutter_on = wanted("shutter");
  output.noise_on = wanted("noise");
  output.stabilization_on = wanted("stabilization");
  output.finish_on = wanted("finish");
  output.asked = {output.lens_on, output.shutter_on, output.noise_on, output.stabilization_on,
                  output.finish_on};
}

}  // namespace

PictureSize parseSize(const std::string& text) {
  const size_t x = text.find('x');
  const auto width = parseNumber(text.substr(0, x)),
             height = parseNumber(x == std::string::npos ? "" : text.substr(x + 1));
  const auto whole = [](const std::optional<double>& v) {
    return v && *v == std::floor(*v) && std::abs(*v) < 1e6;
  };
  const PictureSize size = whole(width) && whole(height)
                               ? PictureSize{static_cast<int>(*width), static_cast<int>(*height)}
                               : PictureSize{};
  if (size.width == 0 || !isOutputSize(size))
    throw Error(ErrorKind::BadRequest, "The size is not usable", text, "",
                "Write it as 1920x1080, from 16 to 16384 px each way");
  return size;
}

Point outputPlace(const std::string& text) {
  const size_t comma = text.find(',');
  const auto x = parseNumber(text.substr(0, comma)),
             y = parseNumber(comma == std::string::npos ? "" : text.substr(comma + 1));
  if (!x || !y || std::abs(*x) > 1 || std::abs(*y) > 1)
    throw Error(ErrorKind::BadRequest, "The place is not usable", text, "",
                "Write it as X,Y, each from -1 (left or top) to 1 (right or bottom)");
  return {*x, *y};
}

CLI::Validator knownParts() {
  return CLI::Validator([](const std::string& text) { return unknownPart(text); }, "PART,…");
}

OutputSettings partsOnly(const std::string& text) {
  std::vector<std::string> parts;
  addParts(text, parts);
  OutputSettings output;
  setParts(output, parts);
  return output;
}

namespace {

double parseShare(const std::string& key, const std::string& text, double low, double high) {
  const auto value = parseNumber(text);
  if (!value || *value < low || *value > high)
    throw Error(ErrorKind::BadRequest, "The setting " + key + " is not usable", text, "",
                "Give a number from " + number(low, 0) + " to " + number(high, 0));
  return *value;
}

// PART.KEY=VALUE of one part: settings are the profile's, or those of clips that do without; what the command
// line says is put over them. `of_profile`: a profile's own, made where it has none; null where it is to have
// none.
template <typename Settings, typename OfProfile>
void applyPart(const std::string& part, const ApplyRequest& request, std::vector<Profile>& profiles,
               std::vector<ShootClip>& clips, OfProfile of_profile,
               std::optional<Settings> ShootClip::*of_clip) {
  for (const std::string& text : request.settings) {
    const PartSetting setting = partSetting(text);
    if (setting.part != part) continue;
    Settings checked;
    setByName(checked, setting.key, setting.value);
    for (Profile& profile : profiles)
      if (Settings* own = of_profile(profile)) setByName(*own, setting.key, setting.value);
    for (ShootClip& clip : clips) {
      if (!clip.by_itself) continue;
      if (!(clip.*of_clip)) (clip.*of_clip).emplace();
      setByName(*(clip.*of_clip), setting.key, setting.value);
    }
  }
}

void applyParts(const ApplyRequest& request, std::vector<Profile>& profiles, std::vector<ShootClip>& clips) {
  applyPart(
      "noise", request, profiles, clips, [](Profile& p) { return p.noise ? &p.noise->denoise : nullptr; },
      &ShootClip::denoise);
  applyPart("stabilization", request, profiles, clips, settingsOfPart<&Profile::stabilization>,
            &ShootClip::stabilization);
  applyPart("finish", request, profiles, clips, settingsOfPart<&Profile::finish>, &ShootClip::finish);
}

void applySetting(const std::string& text, OutputSettings& output) {
  if (text.starts_with("noise.") || text.starts_with("stabilization.") || text.starts_with("shutter.") ||
      text.starts_with("finish."))
    return;
  const size_t equals = text.find('=');
  const std::string key = text.substr(0, equals);
  const std::string value = equals == std::string::npos ? "" : text.substr(equals + 1);
  if (key == "lens.amount")
    output.lens_amount = parseShare(key, value, 0, 1);
  else if (key == "lens.fill")
    output.fill = parseShare(key, value, 0, 100) / 100;
  else if (key == "output.bit_rate")
    output.encode.bit_rate = static_cast<int64_t>(parseShare(key, value, 1e4, 4e9));
  else if (key == "output.name") {
    if (const std::string fault = patternFault(value); !fault.empty())
      throw Error(ErrorKind::BadRequest, fault, text, "", "");
    output.name = value;
  } else
    throw Error(ErrorKind::BadRequest, "There is no setting of this name", text, "",
                "Known: lens.amount, lens.fill, output.bit_rate, output.name, noise.KEY, shutter.local, "
                "stabilization.KEY, "
                "finish.KEY");
}

// shutter.local=on|off, the last one holds.
bool shutterLocalOf(const ApplyRequest& request) {
  bool local = false;
  for (const std::string& text : request.settings) {
    if (!text.starts_with("shutter.")) continue;
    if (text != "shutter.local=on" && text != "shutter.local=off")
      throw Error(ErrorKind::BadRequest, "There is no setting of this name or value", text, "",
                  "Known: shutter.local=on, shutter.local=off");
    local = text.ends_with("=on");
  }
  return local;
}

OutputSettings outputOf(const ApplyRequest& request) {
  OutputSettings output;
  output.folder = std::filesystem::absolute(request.out).lexically_normal();
  output.encode.codec = *codecFromName(request.codec.empty() ? "h264" : request.codec);
  output.stills_stay = request.codec.empty();
  output.encode.quality =
      static_cast<Quality>(std::ranges::find(kQualityNames, request.quality) - kQualityNames.begin());
  if (const auto sound = soundFromName(request.sound)) output.encode.sound = *sound;
  output.encode.graphics = request.encoder == "graphics";
  if (!request.size.empty()) output.size = parseSize(request.size);
  output.shape = request.shape == "bars"     ? OutputShape::Bars
                 : request.shape == "pixels" ? OutputShape::Pixels
                                             : OutputShape::Fill;
  if (!request.place.empty()) output.place = outputPlace(request.place);
  output.fill = request.fill / 100;
  if (!request.only.empty()) setParts(output, request.only);
  for (const std::string& setting : request.settings) applySetting(setting, output);
  return output;
}

// --match any: a clip that matches none takes the first profile that has its shape.
void assignLeftovers(Shoot& shoot, const std::vector<ClipFacts>& facts,
                     const std::vector<Profile>& profiles) {
  for (size_t i = 0; i < facts.size(); ++i) {
    const ClipInfo& info = facts[i].info;
    if (!info.readable(damageOf(shoot.clips[i]))) continue;
    if (matchClip(shoot, shoot.clips[i], info, profiles).kind != MatchKind::None) continue;
    for (const Profile& profile : profiles)
      if (assignProfile(info, profile, 0).kind != MatchKind::None) {
        shoot.clips[i].assigned_profile = profile.path.filename().string();
        break;
      }
  }
}

Answer runApply(const ApplyRequest& request) {
  Shoot shoot;
  shoot.output = outputOf(request);
  std::vector<Profile> profiles;
  for (const auto& path : toPaths(request.profiles)) profiles.push_back(loadProfile(path));
  for (const auto& path : toPaths(request.clips)) {
    ShootClip clip;
    clip.path = std::filesystem::absolute(path).lexically_normal();
    clip.deinterlace = request.deinterlace;
    clip.hold_damage = request.hold_damage;
    clip.by_itself = request.by_itself;
    clip.shutter_local = shutterLocalOf(request);
    shoot.clips.push_back(clip);
  }
  std::vector<ClipFacts> facts = factsOfAll(shoot);
  for (ClipFacts& one : facts)
    if (request.iso > 0 && !one.info.iso) one.info.iso = request.iso;
  applyParts(request, profiles, shoot.clips);
  if (request.match == "any") assignLeftovers(shoot, facts, profiles);
  Batch batch(planShoot(shoot, facts, profiles), request.overwrite ? Replace::Files : Replace::Nothing);
  return runBatch(batch, request.report, "Glenhaze",
                  [](Batch& all, const std::stop_token& stop) { all.run(stop); });
}

}  // namespace

void addApply(CLI::App& app, Session& session) {
  auto* verb = app.add_subcommand("apply", "Correct clips with profiles");
  auto r = std::make_shared<ApplyRequest>();
  verb->add_option("--profile", r->profiles, "Profile; may be given several times")
      ->take_all()
      ->expected(1)
      ->allow_extra_args(false);
  verb->add_option("--out", r->out, "Output folder")->required();
  // Split here: the library's own splitting counts the parts as arguments and would take a clip for one more.
  verb->add_option_function<std::string>(
          "--only", [r](const std::string& text) { addParts(text, r->only); },
          "Parts to apply, separated by commas")
      ->check(knownParts())
      ->take_last();
  verb->add_option("--fill", r->fill, "0: whole picture, 100: filled frame")->check(finiteRange(0, 100));
  verb->add_option("--size", r->size, "Output size, as 1920x1080");
  verb->add_option("--shape", r->shape,
                   "Of clips of another shape than --size: fill (cut off), bars, or pixels (one for one)")
      ->check(CLI::IsMember({"fill", "bars", "pixels"}));
  verb->add_option("--place", r->place,
                   "X,Y from -1 to 1: what is kept of them, or where they lie between bars; 0,0: the middle");
  verb->add_option(
          "--codec", r->codec,
          "h264, h265, prores, ffv1, png, tiff or jpeg; unless given h264, and stills stay what they are")
      ->check(CLI::IsMember({"h264", "h265", "prores", "ffv1", "png", "tiff", "jpeg"}));
  verb->add_option("--quality", r->quality, "small, standard or high")
      ->check(CLI::IsMember(std::vector<std::string>(kQualityNames.begin(), kQualityNames.end())));
  verb->add_option("--sound", r->sound, "keep, pcm, none or silent")
      ->check(CLI::IsMember({"keep", "pcm", "none", "silent"}));
  verb->add_option("--encoder", r->encoder,
                   "Who encodes H.264 and H.265: processor, or graphics where a card can")
      ->check(CLI::IsMember({"processor", "graphics"}));
  verb->add_option("--iso", r->iso, "ISO of clips that do not say theirs")->check(CLI::Range(1, 10000000));
  verb->add_option("--match", r->match, "any: also clips that match no profile")
      ->check(CLI::IsMember({"any"}));
  verb->add_option("--set", r->settings, "PART.KEY=VALUE; may be given several times")
      ->take_all()
      ->expected(1)
      ->allow_extra_args(false);
  verb->add_option("--report", r->report, "Page (.html) or table (.csv) to write about what was done");
  verb->add_flag("--overwrite", r->overwrite, "Replace outputs that exist");
  verb->add_flag("--deinterlace", r->deinterlace, "Deinterlace interlaced clips first");
  verb->add_flag("--hold-damage", r->hold_damage,
                 "Render what is readable of damaged clips; the frame before a gap stands in");
  verb->add_flag("--by-itself", r->by_itself,
                 "What no profile says is assumed, or taken from the clip itself");
  verb->add_option("CLIP", r->clips, "Footage files")->required();
  verb->callback([r, &session] {
    // Parts that were asked for by name need no profile; what becomes of a clip without either is not clear.
    if (r->profiles.empty() && !r->by_itself && r->only.empty())
      throw CLI::RequiredError("--profile, --by-itself or --only");
    r->by_itself = r->by_itself || r->profiles.empty();
    session.verb = [r] { return runApply(*r); };
  });
}

}  // namespace glenhaze::console
