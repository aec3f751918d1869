#include "console/console.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/numbers.h"
#include "core/media/source_guard.h"
#include "core/motion/path_gltf.h"
#include "core/motion/readout.h"
#include "core/pipeline/clip_motion.h"
#include "core/profile/edit.h"
#include "core/profile/match.h"
#include "core/profile/profile.h"
#include "core/profile/verdict.h"
#include "core/shutter/lamp.h"
#include "core/shutter/pan.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

Lens lensOf(const Profile& profile, const ClipInfo& clip) {
  const ProfileMatch match = assignProfile(clip, profile, 0);
  if (!match.lens)
    throw Error(ErrorKind::Evidence, "The profile cannot be used for this clip", clip.path.string(),
                profile.lens ? match.reason : "it has no lens", "Measure the lens of this mode first");
  return *match.lens;
}

void putInto(const std::string& file, const ShutterPart& part, Answer& answer) {
  if (file.empty()) return;
  changeProfile(file, [&](Profile& profile) { profile.shutter = part; });
  answer.json["written"] = file;
  answer.text += "Written: " + file + "\n";
}

Answer describe(const ShutterFinding& f, const std::string& method, const ClipInfo& clip,
                const std::string& into) {
  Answer answer;
  answer.json = {{"readout_ms", f.shutter.readout_s * 1000},
                 {"uncertainty_ms", f.uncertainty_s * 1000},
                 {"direction", scanDirectionName(f.shutter.direction)},
                 {"share_of_frame", f.share_of_frame},
                 {"frames", f.frames},
                 {"global", f.global},
                 {"warnings", f.warnings},
                 {"verdict", verdictOf(f)}};
  answer.text = "Readout " + number(f.shutter.readout_s * 1000, 2) + " ± " +
                number(f.uncertainty_s * 1000, 2) + " ms, " + scanDirectionName(f.shutter.direction) + ", " +
                number(f.share_of_frame * 100, 0) + " % of the frame interval, from " +
                std::to_string(f.frames) + " frames\n";
  answer.text += verdictOf(f) + "\n";
  for (const std::string& warning : f.warnings) answer.text += "  " + warning + "\n";
  putInto(into, shutterPartFrom(f, method, clip.path.string(), 1 / clip.fps.value()), answer);
  return answer;
}

struct ReadoutRequest {
  std::string readout, direction, into;
};

// "14.8" or "14.8ms" in milliseconds; "45%" of the frame interval of the profile's mode.
double readoutOf(const std::string& text, const Profile& profile) {
  const size_t end = text.ends_with("ms")  ? text.size() - 2
                     : text.ends_with('%') ? text.size() - 1
                                           : text.size();
  const std::string unit = text.substr(end);
  const auto value = parseNumber(std::string_view(text).substr(0, end));
  if (!value || *value < 0)
    throw Error(ErrorKind::BadRequest, "The readout is not usable", text, "",
                "Write it as 14.8 (milliseconds) or 45% (of the frame interval)");
  if (unit != "%") return *value / 1000;
  if (!profile.camera.fps)
    throw Error(ErrorKind::BadRequest, "The profile says no frame rate", text, "",
                "Give the readout in milliseconds");
  return *value / 100 / profile.camera.fps->value();
}

Answer setByHand(const ReadoutRequest& r) {
  Profile profile = loadProfile(r.into);
  Shutter shutter;
  shutter.readout_s = readoutOf(r.readout, profile);
  shutter.direction = *scanDirectionFromName(r.direction);
  shutter.validate();
  const double interval = profile.camera.fps ? 1 / profile.camera.fps->value() : 0;
  Answer answer;
  answer.json = {{"readout_ms", shutter.readout_s * 1000},
                 {"uncertainty_ms", 0},
                 {"direction", r.direction},
                 {"share_of_frame", interval > 0 ? json(shutter.readout_s / interval) : json(nullptr)},
                 {"warnings", plausibilityOf(shutter, interval)}};
  answer.text = "Readout " + number(shutter.readout_s * 1000, 2) + " ms, " + r.direction + "\n";
  putInto(r.into, shutterPartByHand(shutter), answer);
  return answer;
}

Answer lamp(double hz, const std::string& file, const std::string& into) {
  const ClipInfo clip = readableClip(file);
  ProgressLine line("Measuring readout");
  return describe(measureLamp(clip, hz, line.progress()), "lamp", clip, into);
}

Answer pan(const std::string& file, const std::string& profile, const std::string& into) {
  const ClipInfo clip = readableClip(file);
  const std::string from = profile.empty() ? into : profile;
  std::optional<Lens> lens;
  if (!from.empty())
    if (const Profile p = loadProfile(from); p.lens) lens = lensOf(p, clip);
  ProgressLine line("Measuring readout");
  return describe(measurePan(clip, lens, line.progress()), "pan", clip, into);
}

Answer footage(const std::string& profile_file, const std::string& file, const std::string& into) {
  const ClipInfo clip = readableClip(file);
  const Profile profile = loadProfile(profile_file);
  MotionRequest request;
  request.clip = clip;
  request.lens = lensOf(profile, clip);
  if (profile.stabilization) request.masks = profile.stabilization->masks;
  ProgressLine line("Measuring readout");
  const TrackRecord tracks = tracksFor(request, line.progress());
  return describe(measureReadout(tracks, request.lens, 1 / clip.fps.value(), codingOf(clip, line.progress())),
                  "footage", clip, into);
}

Answer analyse(const std::string& profile_file, const std::string& file, const std::string& log,
               const std::string& out) {
  const Profile profile = loadProfile(profile_file);
  MotionRequest request;
  request.clip = readableClip(file);
  request.lens = lensOf(profile, request.clip);
  if (profile.shutter) request.shutter = profile.shutter->shutter;
  if (!request.shutter.rolls()) request.shutter.readout_s = 0;
  if (profile.stabilization) {
    request.settings = profile.stabilization->settings;
    request.masks = profile.stabilization->masks;
  }
  request.window = {0, 0, 1, 1};
  request.log = log;
  if (!out.empty()) requireNoSource(SourceGuard(std::span(&request.clip.path, 1)), out);
  ProgressLine line("Analysing motion");
  const TrackRecord tracks = tracksFor(request, line.progress());
  const MotionAnswer motion = answerMotion(request, tracks);
  const std::string csv = pathToCsv(motion.finding.path, request.lens.fx);
  const StabilizedClip& s = motion.stabilized;
  Answer answer;
  answer.json = {{"frames", motion.finding.path.frames().size()},
                 {"rms_px", motion.finding.rms_px},
                 {"shift_and_scale", motion.finding.shift_and_scale},
                 {"shake_before_deg", s.shake_before_deg},
                 {"shake_after_deg", s.shake_after_deg},
                 {"crop", s.crop},
                 {"can_hold_still", s.can_hold_still},
                 {"hold_reason", s.hold_reason},
                 {"advice", s.advice},
                 {"doubt", s.doubt},
                 {"unexplained_shake_deg", motion.unexplained.shake_deg},
                 {"moving_share", motion.unexplained.moving_share},
                 {"warnings", motion.finding.warnings},
                 {"doubtful", json::array()}};
  if (motion.log)
    answer.json["log"] = {{"offset_s", motion.log->offset_s},
                          {"axes", motion.log->axes},
                          {"agreement", motion.log->agreement},
                          {"used", motion.log->usable}};
  for (const DoubtfulRange& d : s.doubtful)
    answer.json["doubtful"].push_back({{"first", d.first}, {"last", d.last}, {"why", d.why}});
  if (out.empty()) {
    answer.text = csv;
    return answer;
  }
  writeFileAtomically(out,
                      out.ends_with(".gltf") ? pathToGltf(motion.finding.path, s.frames, request.lens) : csv);
  answer.json["written"] = out;
  answer.text = describeMotion(motion) + "\n" + s.hold_reason + "\n";
  for (const std::string& warning : motion.finding.warnings) answer.text += "  " + warning + "\n";
  answer.text += "Written: " + out + "\n";
  return answer;
}

CLI::Option* addInto(CLI::App* verb, std::string& into) {
  return verb->add_option("--into", into, "Profile to put the shutter into");
}

}  // namespace

void addShutter(CLI::App& app, Session& session) {
  auto* shutter = app.add_subcommand("shutter", "Measure or set how long a frame takes to read");
  shutter->require_subcommand(1);
  struct Texts {
    std::string clip, profile, into;
    double hz = 100;
  };
  auto* by_hand = shutter->add_subcommand("set", "Set the readout by hand");
  auto r = std::make_shared<ReadoutRequest>();
  by_hand->add_option("--readout-ms", r->readout, "Milliseconds, or a share of the frame interval as 45%")
      ->required();
  by_hand->add_option("--direction", r->direction, "down, up, left, right or unknown")
      ->required()
      ->check(CLI::IsMember({"down", "up", "left", "right", "unknown"}));
  addInto(by_hand, r->into)->required();
  by_hand->callback([r, &session] { session.verb = [r] { return setByHand(*r); }; });

  auto* by_lamp = shutter->add_subcommand("lamp", "From a lamp that flickers at a known rate");
  auto l = std::make_shared<Texts>();
  by_lamp->add_option("--hz", l->hz, "Flicker of the lamp: 100 or 120 on mains")
      ->required()
      ->check(finiteRange(1, 100000));
  addInto(by_lamp, l->into);
  by_lamp->add_option("CLIP", l->clip, "Footage file")->required();
  by_lamp->callback([l, &session] { session.verb = [l] { return lamp(l->hz, l->clip, l->into); }; });

  auto* by_pan = shutter->add_subcommand("pan", "From a pan past uprights");
  auto p = std::make_shared<Texts>();
  by_pan->add_option("--profile", p->profile,
                     "Profile whose lens straightens the uprights (--into's, if none)");
  addInto(by_pan, p->into);
  by_pan->add_option("CLIP", p->clip, "Footage file")->required();
  by_pan->callback([p, &session] { session.verb = [p] { return pan(p->clip, p->profile, p->into); }; });

  auto* by_footage = shutter->add_subcommand("footage", "From ordinary shaky footage");
  auto f = std::make_shared<Texts>();
  by_footage->add_option("--profile", f->profile, "Profile with the lens")->required();
  addInto(by_footage, f->into);
  by_footage->add_option("CLIP", f->clip, "Footage file")->required();
  by_footage->callback(
      [f, &session] { session.verb = [f] { return footage(f->profile, f->clip, f->into); }; });
}

void addMotion(CLI::App& app, Session& session) {
  auto* motion = app.add_subcommand("motion", "Work out how the camera moved");
  motion->require_subcommand(1);
  struct Texts {
    std::string clip, profile, log, out;
  };
  auto* verb = motion->add_subcommand("analyse", "The camera's path through a clip");
  auto t = std::make_shared<Texts>();
  verb->add_option("--profile", t->profile, "Profile with the lens, and the shutter if it is known")
      ->required();
  verb->add_option("--log", t->log, "Motion log as CSV: t,x,y,z in seconds and rad per second");
  verb->add_option(
      "--out", t->out,
      "CSV file, or glTF by its ending (.gltf): as filmed and steadied; standard output when not given");
  verb->add_option("CLIP", t->clip, "Footage file")->required();
  verb->callback(
      [t, &session] { session.verb = [t] { return analyse(t->profile, t->clip, t->log, t->out); }; });
}

}  // namespace glenhaze::console
