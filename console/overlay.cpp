#include "console/console.h"
#include "core/base/error.h"
#include "core/profile/profile.h"
#include "core/run/hand_over.h"

namespace glenhaze::console {

namespace {

struct OverlayRequest {
  std::string profile, clip, with, alpha, size, out, direction;
  std::vector<std::string> overlays;
  double fill = 100, room = 0;
  int frame = -1;
  bool overwrite = false;
};

// How a clip is rendered with the parts that were named and no others.
ClipPlan planOf(const OverlayRequest& r, const Profile& profile) {
  if (r.clip.empty())
    throw Error(ErrorKind::BadRequest, "--with goes by a clip", "", "", "Name it with --clip");
  Shoot shoot;
  shoot.output = partsOnly(r.with);
  shoot.output.fill = r.fill / 100;
  if (!r.size.empty()) shoot.output.size = parseSize(r.size);
  ShootClip clip;
  clip.path = std::filesystem::absolute(r.clip).lexically_normal();
  clip.assigned_profile = profile.path.filename().string();
  shoot.clips.push_back(clip);
  const std::vector<ClipFacts> facts = factsOfAll(shoot);
  return planShoot(shoot, facts, std::span(&profile, 1)).front();
}

HandOver wayOf(const OverlayRequest& r, const Profile& profile, const Progress& progress) {
  if (r.with.empty()) return HandOver(lensIn(profile));
  FactStore store;
  return {planOf(r, profile), store, progress};
}

OverlayFiles filesOf(const OverlayRequest& r, const std::filesystem::path& from,
                     const std::filesystem::path& to, Rational fps) {
  OverlayFiles files{from, to, {}, fps, r.overwrite, r.clip};
  if (r.alpha == "straight") files.alpha = AlphaKind::Straight;
  if (r.alpha == "premultiplied") files.alpha = AlphaKind::Premultiplied;
  return files;
}

// One after the other into one folder under their own names where there are several.
std::filesystem::path targetOf(const OverlayRequest& r, const std::string& overlay) {
  if (r.overlays.size() == 1) return r.out;
  if (!std::filesystem::is_directory(r.out))
    throw Error(ErrorKind::BadRequest, "Several overlays go into a folder", r.out, "it is none",
                "Name a folder that exists, or give one overlay at a time");
  return std::filesystem::path(r.out) / std::filesystem::path(overlay).filename();
}

nlohmann::json described(const HandedOver& done, const std::filesystem::path& to) {
  return {{"written", to.string()},
          {"pictures", done.pictures},
          {"width", done.size.width},
          {"height", done.size.height}};
}

std::string sizeText(PictureSize size) {
  return std::to_string(size.width) + " × " + std::to_string(size.height);
}

std::string said(const HandedOver& done, const std::filesystem::path& to) {
  return "Written: " + to.string() + ", " + std::to_string(done.pictures) +
         (done.pictures == 1 ? " picture of " : " pictures of ") + sizeText(done.size) + "\n";
}

Answer redo(const OverlayRequest& r) {
  const Profile profile = loadProfile(r.profile);
  ProgressLine line("Laying back");
  const HandOver how = wayOf(r, profile, line.progress());
  const Rational fps =
      r.clip.empty() ? profile.camera.fps.value_or(Rational{25, 1}) : readableClip(r.clip).fps;
  Answer answer;
  answer.json["overlays"] = nlohmann::json::array();
  for (const std::string& overlay : r.overlays) {
    const auto to = targetOf(r, overlay);
    const HandedOver done = layBack(how, filesOf(r, overlay, to, fps), line.progress());
    answer.json["overlays"].push_back(described(done, to));
    answer.text += said(done, to);
  }
  return answer;
}

Answer plate(const OverlayRequest& r) {
  const Profile profile = loadProfile(r.profile);
  ProgressLine line("Straightening");
  const HandOver how = wayOf(r, profile, line.progress());
  const ClipInfo clip = readableClip(r.clip);
  FrameRange frames{0, clip.frames};
  if (r.frame >= 0) frames = {r.frame, r.frame + 1};
  if (frames.last > clip.frames)
    throw Error(ErrorKind::BadRequest, "The clip has no such frame", r.clip,
                std::to_string(clip.frames) + " frames", "Count from 0");
  const HandedOver done =
      writePlate(how, clip, frames, r.room / 100, filesOf(r, {}, r.out, clip.fps), line.progress());
  Answer answer;
  answer.json = described(done, r.out);
  answer.json["straight"] = {how.straight().width, how.straight().height};
  answer.text = said(done, r.out);
  return answer;
}

Answer stMaps(const OverlayRequest& r) {
  const Profile profile = loadProfile(r.profile);
  ProgressLine line("Writing maps");
  const HandOver how = wayOf(r, profile, line.progress());
  const HandedOver done =
      writeMaps(how, r.direction == "undistort" ? MapDirection::Undistort : MapDirection::Distort,
                r.room / 100, filesOf(r, {}, r.out, {}), line.progress());
  const PictureSize roomy = roomySize(how.straight(), r.room / 100);
  Answer answer;
  answer.json = {{"written", r.out},
                 {"maps", done.pictures},
                 {"width", done.size.width},
                 {"height", done.size.height},
                 {"straight", {roomy.width, roomy.height}}};
  answer.text = "Written: " + r.out + ", " + sizeText(done.size) + "; the straight picture is " +
                sizeText(roomy) + "\n";
  return answer;
}

void addShared(CLI::App* verb, const std::shared_ptr<OverlayRequest>& r) {
  verb->add_option("--profile", r->profile, "Profile")->required();
  verb->add_option("--with", r->with,
                   "lens, shutter, stabilization: as the clip is rendered with these; without it by the "
                   "lens alone, as lens stmap and lens map")
      ->check(knownParts());
  verb->add_option("--fill", r->fill, "With --with: 0, whole picture, to 100, filled frame")
      ->check(finiteRange(0, 100));
  verb->add_option("--size", r->size, "With --with: output size, as 1920x1080");
  verb->add_flag("--overwrite", r->overwrite, "Replace files that exist");
}

void addAlpha(CLI::App* verb, const std::shared_ptr<OverlayRequest>& r) {
  verb->add_option("--alpha", r->alpha,
                   "straight or premultiplied; unless said premultiplied in OpenEXR, straight elsewhere")
      ->check(CLI::IsMember({"straight", "premultiplied"}));
}

void addStMap(CLI::App& lens, Session& session) {
  auto* verb = lens.add_subcommand("stmap", "Write maps that undo or redo the lens in other programs");
  auto r = std::make_shared<OverlayRequest>();
  addShared(verb, r);
  verb->add_option("--direction", r->direction, "undistort or distort")
      ->required()
      ->check(CLI::IsMember({"undistort", "distort"}));
  verb->add_option("--room", r->room, "Room at each edge of the straight picture, %")
      ->check(finiteRange(0, 200));
  verb->add_option("--out", r->out, "OpenEXR file to write; name_%04d.exr where the clip moves")->required();
  verb->add_option("CLIP", r->clip, "With --with: the clip, a map for each of its frames where it moves");
  verb->callback([r, &session] { session.verb = [r] { return stMaps(*r); }; });
}

}  // namespace

void addOverlay(CLI::App& lens, Session& session) {
  auto* redone = lens.add_subcommand(
      "redo", "Give overlays with alpha the camera's own bend, so that they sit on the untouched picture");
  auto r = std::make_shared<OverlayRequest>();
  addStMap(lens, session);
  addShared(redone, r);
  addAlpha(redone, r);
  redone->add_option("--clip", r->clip, "The clip that they belong to");
  redone
      ->add_option("--out", r->out,
                   "File to write (.png, .tif, .exr, name_%04d.png, .mov); a folder for several")
      ->required();
  redone->add_option("OVERLAY", r->overlays, "Pictures, sequences (name_%04d.png) or clips")->required();
  redone->callback([r, &session] { session.verb = [r] { return redo(*r); }; });

  auto* straightened =
      lens.add_subcommand("plate", "Write a clip straightened, with room at its edges, to draw overlays on");
  auto p = std::make_shared<OverlayRequest>();
  addShared(straightened, p);
  addAlpha(straightened, p);
  straightened->add_option("--room", p->room, "Room at each edge, %")->check(finiteRange(0, 200));
  straightened->add_option("--frame", p->frame, "Only this frame, counted from 0")
      ->check(CLI::Range(0, 1 << 30));
  straightened->add_option("--out", p->out, "File to write (.png, .tif, .exr, name_%04d.png, .mov)")
      ->required();
  straightened->add_option("CLIP", p->clip, "Footage")->required();
  straightened->callback([p, &session] { session.verb = [p] { return plate(*p); }; });
}

}  // namespace glenhaze::console
