#include <cmath>
#include <functional>
#include <iostream>
#include <tuple>

#include "console/console.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"
#include "core/base/numbers.h"
#include "core/lens/measure.h"
#include "core/lens/water.h"
#include "core/media/reader.h"
#include "core/motion/self_calibration.h"
#include "core/motion/tracks.h"
#include "core/profile/edit.h"
#include "core/profile/from_findings.h"
#include "core/profile/profile.h"
#include "core/profile/verdict.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

// Where a measurement goes: into a profile that is there, or a new one of a camera and mode.
struct Target {
  std::string camera, view, medium = "air", out, into;
  bool overwrite = false;
  const std::string& file() const { return into.empty() ? out : into; }
};

void addTarget(CLI::App* verb, Target& target) {
  static const CLI::IsMember kMedia({"air", "flat-port-fresh", "flat-port-sea"});
  auto* camera = verb->add_option("--camera", target.camera, "Camera name, of a new profile");
  verb->add_option("--view", target.view, "Field-of-view setting");
  verb->add_option("--medium", target.medium, "Medium")->check(kMedia);
  auto* out = verb->add_option("--out", target.out, "Profile to write");
  auto* into = verb->add_option("--into", target.into, "Profile to put the lens into; its other parts stay");
  verb->add_flag("--overwrite", target.overwrite, "Replace a profile that exists");
  out->excludes(into);
  camera->excludes(into);
}

// What the parser cannot say in words of ours.
void requireTarget(const Target& target) {
  if (target.out.empty() && target.into.empty())
    throw Error(ErrorKind::BadRequest, "It is not said where the lens goes", "", "",
                "Give --out with --camera for a new profile, or --into for one that is there");
  if (target.into.empty() && target.camera.empty())
    throw Error(ErrorKind::BadRequest, "The new profile's camera has no name", "", "", "Give --camera");
}

// `put` puts what was measured into the profile; `lens` is for its picture size.
void writeProfile(const Target& target, const Lens& lens, const std::optional<Rational>& fps,
                  const std::function<void(Profile&)>& put) {
  if (!target.into.empty()) {
    changeProfile(target.into, [&](Profile& profile) {
      if (profile.camera.width != lens.width || profile.camera.height != lens.height)
        throw Error(ErrorKind::BadRequest, "The lens is for another picture size than the profile",
                    target.into, profile.camera.describe(), "Choose the profile of this mode");
      put(profile);
    });
    return;
  }
  Profile profile;
  profile.camera.name = target.camera;
  profile.camera.view = target.view;
  profile.camera.medium = target.medium;
  profile.camera.width = lens.width;
  profile.camera.height = lens.height;
  profile.camera.fps = fps;
  put(profile);
  createProfile(profile, target.out, target.overwrite ? ExistingProfile::Replace : ExistingProfile::Refuse);
}

void writeLens(const Target& target, const LensPart& part, const std::optional<Rational>& fps) {
  writeProfile(target, part.lens, fps, [&](Profile& profile) { profile.lens = part; });
}

struct SetRequest {
  Target target;
  std::string model, fps;
  std::vector<double> focal, centre, coefficients;
  int width = 0, height = 0;
};

Answer lensSet(const SetRequest& r) {
  requireTarget(r.target);
  const auto fps = parseRational(r.fps);
  if (!r.fps.empty() && !fps)
    throw Error(ErrorKind::BadRequest, "The frame rate is not usable", r.fps, "",
                "Write it as 30000/1001 or 29.97");
  LensPart part;
  part.origin = Origin::ByHand;
  part.method = "typed";
  part.lens.model = *lensModelFromName(r.model);
  part.lens.width = r.width;
  part.lens.height = r.height;
  part.lens.fx = r.focal[0];
  part.lens.fy = r.focal.size() > 1 ? r.focal[1] : r.focal[0];
  part.lens.cx = r.centre[0];
  part.lens.cy = r.centre[1];
  if (r.coefficients.size() > static_cast<size_t>(numCoefficients(part.lens.model)))
    throw Error(ErrorKind::BadRequest, "Too many coefficients for the model", r.model, "",
                "It takes " + std::to_string(numCoefficients(part.lens.model)));
  std::copy(r.coefficients.begin(), r.coefficients.end(), part.lens.k.begin());
  part.lens.validate();
  Evidence evidence;
  evidence.kind = "typed";
  part.evidence.push_back(evidence);
  writeLens(r.target, part, fps);
  const std::vector<std::string> notes = checkProfile(loadProfile(r.target.file()));
  Answer answer;
  answer.json = {{"written", r.target.file()}, {"notes", notes}};
  answer.text = "Written: " + r.target.file() + "\n";
  for (const auto& note : notes) answer.text += "  " + note + "\n";
  return answer;
}

struct MeasureRequest {
  Target target;
  std::string corners = "9x6", model = "auto", marks;
  double square_mm = 25;
  double focal = 0;
  bool automatic = false;
  std::vector<std::string> shots;
};

// "9x6"
std::pair<int, int> parseCorners(const std::string& text) {
  const size_t x = text.find('x');
  const auto columns = parseNumber(text.substr(0, x)),
             rows = parseNumber(x == text.npos ? "" : text.substr(x + 1));
  const auto whole = [](const std::optional<double>& v) {
    return v && *v == std::round(*v) && *v > 0 && *v < 1000;
  };
  if (!whole(columns) || !whole(rows))
    throw Error(ErrorKind::BadRequest, "The number of corners is not usable", text, "", "Write it as 9x6");
  return {static_cast<int>(*columns), static_cast<int>(*rows)};
}

std::optional<LensModel> chosenModel(const std::string& name) {
  return name == "auto" ? std::nullopt : lensModelFromName(name);
}

std::vector<ClipInfo> probeAll(const std::vector<std::string>& names) {
  std::vector<ClipInfo> shots;
  for (const auto& path : toPaths(names)) shots.push_back(probe(path));
  return shots;
}

void writeMeasured(const MeasureRequest& r, const LensPart& part, const std::vector<ClipInfo>& shots) {
  std::optional<Rational> fps;
  for (const ClipInfo& shot : shots)
    if (shot.kind == ClipKind::Film && !shot.variable_rate) fps = shot.fps;
  writeLens(r.target, part, fps);
}

json stddevOf(const Lens& lens, const std::vector<double>& values) {
  json out = json::object();
  std::vector<std::string> names = {"fx", "fy", "cx", "cy"};
  for (const auto& name : coefficientNames(lens.model)) names.push_back(name);
  for (size_t i = 0; i < std::min(names.size(), values.size()); ++i) out[names[i]] = values[i];
  return out;
}

json lensJson(const Lens& lens) {
  return {
      {"model", lensModelName(lens.model)},
      {"width", lens.width},
      {"height", lens.height},
      {"focal_px", {lens.fx, lens.fy}},
      {"centre_px", {lens.cx, lens.cy}},
      {"coefficients", std::vector<double>(lens.k.begin(), lens.k.begin() + numCoefficients(lens.model))}};
}

std::string warningsText(const std::vector<std::string>& warnings) {
  std::string text;
  for (const auto& w : warnings) text += "  " + w + "\n";
  return text;
}

json bendJson(const Bend& bend) {
  return {{"value", bend.value_px}, {"uncertainty", bend.uncertainty_px}, {"at", {bend.at.x, bend.at.y}}};
}

Answer lensChart(const MeasureRequest& r) {
  requireTarget(r.target);
  ChartSpec spec;
  std::tie(spec.columns, spec.rows) = parseCorners(r.corners);
  spec.square_mm = r.square_mm;
  spec.validate();
  const auto shots = probeAll(r.shots);
  ChartFinding finding;
  {
    ProgressLine line("Looking for the chart");
    ChartSearch search = searchChart(shots, spec, 48, line.progress());
    finding = solveChart(std::move(search.views), search.width, search.height, spec, chosenModel(r.model));
  }
  writeMeasured(r, lensPartFrom(finding), shots);
  Answer answer;
  answer.json = lensJson(finding.lens);
  answer.json["rms_px"] = finding.rms_px;
  answer.json["stddev"] = stddevOf(finding.lens, finding.stddev);
  answer.json["bend_at_corner_px"] = bendJson(finding.bend);
  answer.json["views_used"] = finding.views_used;
  answer.json["views_left_out"] = json::array();
  for (const ChartView& v : finding.views)
    if (!v.left_out.empty())
      answer.json["views_left_out"].push_back({{"path", v.source}, {"frame", v.frame}, {"why", v.left_out}});
  answer.json["coverage"] = finding.coverage;
  answer.json["model_reason"] = finding.model_reason;
  answer.json["warnings"] = finding.warnings;
  answer.json["verdict"] = verdictOf(finding);
  answer.text = lensModelName(finding.lens.model) + ", " + number(finding.rms_px, 3) + " px RMS over " +
                std::to_string(finding.views_used) + " views, " + number(finding.coverage * 100, 0) +
                " % of the picture, bends by " + number(std::abs(finding.bend.value_px), 1) + " ± " +
                number(finding.bend.uncertainty_px, 1) +
                (finding.bend.at_corner ? " px at the corner\n  " : " px at 50° from the axis\n  ") +
                finding.model_reason + "\n" + verdictOf(finding) + "\n" + warningsText(finding.warnings) +
                "Written: " + r.target.file() + "\n";
  return answer;
}

// {"width","height","edges":[[[x,y],…],…]}
std::vector<StraightEdge> readMarks(const std::string& file, int& width, int& height) {
  try {
    const json in = parseJson(readFile(file));
    width = wholeOf<int>(in.at("width"));
    height = wholeOf<int>(in.at("height"));
    std::vector<StraightEdge> edges;
    for (const json& marks : in.at("edges")) {
      StraightEdge edge;
      for (const json& p : marks) edge.points.push_back({p.at(0).get<double>(), p.at(1).get<double>()});
      edges.push_back(std::move(edge));
    }
    return edges;
  } catch (const std::exception& e) {
    throw Error(ErrorKind::Unreadable, "The marks cannot be read", file, e.what(),
                "Write {\"width\", \"height\", \"edges\": [[[x, y], …], …]}");
  }
}

void snapMarks(std::vector<StraightEdge>& edges, const ClipInfo& shot) {
  const Frame frame = readFrame(shot, 0);
  for (StraightEdge& edge : edges) {
    const SnappedEdge snapped = snapEdge(frame, edge.points);
    if (snapped.found && snapped.points.size() >= 3) edge.points = snapped.points;
    edge.source = shot.path.string();
    edge.frame = 0;
  }
}

Answer lensEdges(const MeasureRequest& r) {
  requireTarget(r.target);
  if (r.marks.empty() == !r.automatic)
    throw Error(ErrorKind::BadRequest, "Give either --marks or --auto", "", "", "");
  const auto shots = probeAll(r.shots);
  int width = 0, height = 0;
  std::vector<StraightEdge> edges;
  if (r.automatic) {
    ProgressLine line("Looking for edges");
    EdgeSearch search = searchEdges(shots, 6, line.progress());
    edges = std::move(search.edges);
    width = search.width;
    height = search.height;
  } else {
    edges = readMarks(r.marks, width, height);
    if (!shots.empty()) {
      if (shots[0].width != width || shots[0].height != height)
        throw Error(ErrorKind::Evidence, "The marks are for another picture size", r.marks, "",
                    "Mark this picture");
      snapMarks(edges, shots[0]);
    }
  }
  EdgeOptions options;
  options.origin = r.automatic ? EdgeOrigin::Found : EdgeOrigin::Marked;
  options.model = chosenModel(r.model);
  if (r.focal > 0) options.focal_px = r.focal;
  const EdgeFinding finding = solveEdges(edges, width, height, options);
  writeMeasured(r, lensPartFrom(finding, edges), shots);
  Answer answer;
  answer.json = lensJson(finding.lens);
  answer.json["straightness_before_px"] = {{"rms", finding.before.rms}, {"worst", finding.before.worst}};
  answer.json["straightness_after_px"] = {{"rms", finding.after.rms}, {"worst", finding.after.worst}};
  answer.json["edges"] = json::array();
  for (const EdgeResult& e : finding.edges)
    answer.json["edges"].push_back({{"rms", e.rms_px}, {"left_out", e.left_out}, {"why", e.why}});
  answer.json["stddev"] = stddevOf(finding.lens, finding.stddev);
  answer.json["bend_at_corner_px"] = bendJson(finding.bend);
  answer.json["bends"] = finding.bends;
  answer.json["focal_assumed"] = finding.focal_assumed;
  answer.json["coverage"] = finding.coverage;
  answer.json["warnings"] = finding.warnings;
  answer.json["verdict"] = verdictOf(finding);
  answer.text = lensModelName(finding.lens.model) + ", straight to " + number(finding.after.rms, 2) +
                " px RMS over " + std::to_string(finding.edges_used) + " edges (was " +
                number(finding.before.rms, 1) + " px)\n  " + finding.model_reason + "\n" +
                verdictOf(finding) + "\n" + warningsText(finding.warnings) + "Written: " + r.target.file() +
                "\n";
  return answer;
}

// Of several clips the one that tells the focal length best.
struct FootageShot {
  ClipInfo clip;
  FootageLens lens;
};

bool isSurer(const FootageLens& a, const FootageLens& b) {
  if (a.usable != b.usable) return a.usable;
  return a.focal_uncertainty < b.focal_uncertainty;
}

FootageShot surestOf(const std::vector<std::string>& names, std::vector<std::string>& each) {
  std::optional<FootageShot> best;
  std::optional<Error> trouble;
  for (const std::string& name : names) {
    FootageShot shot{readableClip(name), {}};
    ProgressLine line("Measuring lens");
    const Progress whole = line.progress();
    try {
      const TrackRecord tracks = trackClip(shot.clip, {}, partOf(whole, 0, 0.4));
      shot.lens =
          measureLensFrom(tracks, 1 / shot.clip.fps.value(), codingOf(shot.clip), partOf(whole, 0.4, 1));
    } catch (const Error& error) {
      if (error.kind() != ErrorKind::Evidence || names.size() == 1) throw;
      each.push_back(name + ": " + error.what());
      trouble = error;
      continue;
    }
    each.push_back(shot.clip.path.filename().string() + ": focal length " + number(shot.lens.lens.fx, 1) +
                   " ± " + number(shot.lens.focal_uncertainty * shot.lens.lens.fx, 1) + " px" +
                   (shot.lens.usable ? "" : ", not usable"));
    if (!best || isSurer(shot.lens, best->lens)) best = std::move(shot);
  }
  if (!best) throw *trouble;
  return *best;
}

void writeFootageLens(const Target& target, const FootageShot& shot) {
  writeProfile(target, shot.lens.lens, shot.clip.variable_rate ? std::nullopt : std::optional(shot.clip.fps),
               [&](Profile& profile) {
                 putFootageLens(profile, shot.lens, shot.clip.path.string(), 1 / shot.clip.fps.value());
               });
}

Answer lensFootage(const MeasureRequest& r) {
  requireTarget(r.target);
  std::vector<std::string> each;
  const FootageShot shot = surestOf(r.shots, each);
  const FootageLens& f = shot.lens;
  if (f.usable) writeFootageLens(r.target, shot);
  const double spread = f.focal_uncertainty * f.lens.fx;
  Answer answer;
  answer.json = lensJson(f.lens);
  answer.json["stddev"] = stddevOf(f.lens, f.stddev);
  answer.json["bend_at_corner_px"] = bendJson(f.bend);
  answer.json["bend_told"] = f.bend_told;
  answer.json["readout_ms"] = f.readout_told ? json(f.shutter.readout_s * 1000) : json(nullptr);
  answer.json["uncertainty_ms"] = f.readout_uncertainty_s * 1000;
  answer.json["direction"] = scanDirectionName(f.shutter.direction);
  answer.json["rms_px"] = f.rms_px;
  answer.json["turned_deg"] = f.turned_deg;
  answer.json["seen_to"] = f.seen_to;
  answer.json["frames"] = f.frames;
  answer.json["usable"] = f.usable;
  answer.json["why"] = f.why;
  answer.json["clips"] = each;
  answer.json["warnings"] = f.warnings;
  answer.json["verdict"] = f.usable ? verdictOf(f) : "";
  answer.exit_code = f.usable ? kAllDone : kInputUnusable;
  if (!f.usable) {
    answer.text = f.why + "\n";
    return answer;
  }
  answer.text = lensModelName(f.lens.model) + ", focal length " + number(f.lens.fx, 1) + " ± " +
                number(spread, 1) + " px, " +
                (f.bend_told ? "bends by " + number(std::abs(f.bend.value_px), 1) + " ± "
                             : "no bend to be seen within ") +
                number(f.bend.uncertainty_px, 1) +
                (f.bend.at_corner ? " px at the corner\n" : " px at 50° from the axis\n") +
                (f.readout_told ? "  readout " + number(f.shutter.readout_s * 1000, 2) + " ± " +
                                      number(f.readout_uncertainty_s * 1000, 2) + " ms, " +
                                      scanDirectionName(f.shutter.direction) + "\n"
                                : "  the readout cannot be told\n") +
                "  from " + shot.clip.path.filename().string() + ", which turns by " +
                number(f.turned_deg, 0) + "°\n" + warningsText(f.warnings) + "Written: " + r.target.file() +
                "\n";
  return answer;
}

Answer lensMap(const std::string& file, const std::string& direction, const std::string& points_file) {
  const Profile profile = loadProfile(file);
  if (!profile.lens)
    throw Error(ErrorKind::Unreadable, "There is no lens in the profile", file, "", "Measure the lens first");
  json points;
  try {
    points = parseJson(readFile(points_file));
    if (!points.is_array()) throw std::invalid_argument("it is no list");
    const LensMap map(profile.lens->lens);
    json out = json::array();
    std::string text;
    for (const json& p : points) {
      const Point in{p.at(0).get<double>(), p.at(1).get<double>()};
      const auto moved = direction == "undistort" ? map.undistort(in) : map.distort(in);
      out.push_back(moved ? json{moved->x, moved->y} : json(nullptr));
      text += moved ? number(moved->x, 4) + " " + number(moved->y, 4) + "\n" : "outside the lens's field\n";
    }
    Answer answer;
    answer.json["points"] = out;
    answer.text = text;
    return answer;
  } catch (const json::exception& e) {
    throw Error(ErrorKind::Unreadable, "The points cannot be read", points_file, e.what(),
                "Write them as [[x, y], …]");
  } catch (const std::invalid_argument& e) {
    throw Error(ErrorKind::Unreadable, "The points cannot be read", points_file, e.what(),
                "Write them as [[x, y], …]");
  }
}

struct WaterRequest {
  std::string profile, medium, out;
  double port_mm = 0, subject_mm = 0;
  bool overwrite = false;
};

Answer lensWater(const WaterRequest& r) {
  Profile profile = loadProfile(r.profile);
  const Lens in_air = lensIn(profile);
  if (profile.camera.medium != "air")
    throw Error(ErrorKind::BadRequest, "The profile is not of the camera in air", r.profile,
                profile.camera.describe(), "Give the one that was measured in air");
  const Water water = r.medium == "sea" ? Water::Sea : Water::Fresh;
  Port port;
  port.distance_mm = r.port_mm;
  if (r.subject_mm > 0) port.subject_mm = r.subject_mm;
  const WaterLens wet = underWater(in_air, water, port);
  profile.camera.medium = water == Water::Sea ? "flat-port-sea" : "flat-port-fresh";
  LensPart& part = *profile.lens;
  part.lens = wet.lens;
  part.origin = Origin::Imported;
  part.method = "water";
  part.stddev.clear();
  Evidence e;
  e.kind = "converted";
  e.source = std::filesystem::path(r.profile).filename().string();
  e.residual_px = wet.worst_px;
  part.evidence = {e};
  createProfile(profile, r.out, r.overwrite ? ExistingProfile::Replace : ExistingProfile::Refuse);
  Answer answer;
  answer.json = lensJson(wet.lens);
  answer.json["enlargement"] = wet.lens.fx / in_air.fx;
  answer.json["worst_px"] = wet.worst_px;
  answer.json["written"] = r.out;
  answer.text =
      lensModelTitle(wet.lens.model) + ", focal length " + number(wet.lens.fx, 1) + " px (" +
      number(wet.lens.fx / in_air.fx, 3) + " times the one in air), within " + number(wet.worst_px, 3) +
      " px of Snell's law" +
      (wet.worst_px > 0.1 ? " at the edge of so wide a view; measure it under water where that matters"
                          : "") +
      "\nWritten: " + r.out + "\n";
  return answer;
}

void addWater(CLI::App& lens, Session& session) {
  auto* verb =
      lens.add_subcommand("water", "Make the profile of a camera behind a flat port from the one in air");
  auto r = std::make_shared<WaterRequest>();
  verb->add_option("--profile", r->profile, "Profile of the camera in air")->required();
  verb->add_option("--medium", r->medium, "fresh or sea")->required()->check(CLI::IsMember({"fresh", "sea"}));
  verb->add_option("--port-mm", r->port_mm, "From the lens to the port, mm")->check(finiteRange(0, 10000));
  verb->add_option("--subject-mm", r->subject_mm, "From the port to what is filmed, mm; far unless said")
      ->check(finiteRange(1, 1e9));
  verb->add_option("--out", r->out, "Profile to write")->required();
  verb->add_flag("--overwrite", r->overwrite, "Replace a profile that exists");
  verb->callback([r, &session] { session.verb = [r] { return lensWater(*r); }; });
}

const CLI::IsMember kModels({"brown-conrady", "kannala-brandt", "division"});

void addSet(CLI::App& lens, Session& session) {
  auto* verb = lens.add_subcommand("set", "Type in known values");
  auto r = std::make_shared<SetRequest>();
  verb->add_option("--model", r->model, "Lens model")->required()->check(kModels);
  verb->add_option("--focal", r->focal, "Focal length FX,FY in px")
      ->required()
      ->delimiter(',')
      ->expected(1, 2);
  verb->add_option("--centre", r->centre, "Centre CX,CY in px")->required()->delimiter(',')->expected(2);
  verb->add_option("--coefficients", r->coefficients, "Coefficients, separated by commas")
      ->required()
      ->delimiter(',')
      ->expected(1, 5);
  verb->add_option("--width", r->width, "Picture width, px")->required();
  verb->add_option("--height", r->height, "Picture height, px")->required();
  verb->add_option("--fps", r->fps, "Frame rate, as 30000/1001");
  addTarget(verb, r->target);
  verb->callback([r, &session] { session.verb = [r] { return lensSet(*r); }; });
}

void addMap(CLI::App& lens, Session& session) {
  auto* verb =
      lens.add_subcommand("map", "Move points from the picture as filmed to the straight one, or back");
  auto file = std::make_shared<std::string>();
  auto direction = std::make_shared<std::string>();
  auto points = std::make_shared<std::string>();
  verb->add_option("--profile", *file, "Profile")->required();
  verb->add_option("--direction", *direction, "undistort or distort")
      ->required()
      ->check(CLI::IsMember({"undistort", "distort"}));
  verb->add_option("--points", *points, "JSON file with [[x,y],…]")->required();
  verb->callback([=, &session] { session.verb = [=] { return lensMap(*file, *direction, *points); }; });
}

void addMeasured(CLI::App& lens, Session& session, bool chart) {
  auto* verb = chart ? lens.add_subcommand("chart", "Measure from a filmed chessboard")
                     : lens.add_subcommand("edges", "Measure from edges that are straight in the world");
  auto r = std::make_shared<MeasureRequest>();
  if (chart) {
    verb->add_option("--corners", r->corners, "Inner corners, as 9x6")->required();
    verb->add_option("--square-mm", r->square_mm, "Side of a square, mm")->check(finiteRange(1, 1000));
  } else {
    verb->add_option("--marks", r->marks, "JSON file with marks along edges");
    verb->add_flag("--auto", r->automatic, "Find the edges");
    verb->add_option("--focal-px", r->focal, "Focal length in px, where it is known")
        ->check(finiteRange(1, 1e6));
  }
  verb->add_option("--model", r->model, "Lens model")
      ->check(CLI::IsMember({"auto", "brown-conrady", "kannala-brandt", "division"}));
  addTarget(verb, r->target);
  auto* shots = verb->add_option("SHOT", r->shots, "Images or clips");
  if (chart) shots->required();
  verb->callback(
      [r, chart, &session] { session.verb = [r, chart] { return chart ? lensChart(*r) : lensEdges(*r); }; });
}

void addFootage(CLI::App& lens, Session& session) {
  auto* verb = lens.add_subcommand("footage", "Measure from ordinary footage in which the camera turns");
  auto r = std::make_shared<MeasureRequest>();
  addTarget(verb, r->target);
  verb->add_option("CLIP", r->shots, "Footage files; the one that tells most is taken")->required();
  verb->callback([r, &session] { session.verb = [r] { return lensFootage(*r); }; });
}

Answer writeChart(const std::string& corners, double square_mm, const std::string& out) {
  ChartSpec spec;
  std::tie(spec.columns, spec.rows) = parseCorners(corners);
  spec.square_mm = square_mm;
  spec.validate();
  writeFileAtomically(out, chartPdf(spec));
  Answer answer;
  answer.json = {{"written", out}};
  answer.text = "Written: " + out + "\n";
  return answer;
}

void addPaper(CLI::App& lens, Session& session) {
  auto* verb = lens.add_subcommand("paper", "Write the chart as a PDF to print");
  auto corners = std::make_shared<std::string>("9x6");
  auto square = std::make_shared<double>(25);
  auto out = std::make_shared<std::string>();
  verb->add_option("--corners", *corners, "Inner corners, as 9x6");
  verb->add_option("--square-mm", *square, "Side of a square, mm")->check(finiteRange(1, 1000));
  verb->add_option("--out", *out, "PDF to write")->required();
  verb->callback([=, &session] { session.verb = [=] { return writeChart(*corners, *square, *out); }; });
}

}  // namespace

void addLens(CLI::App& app, Session& session) {
  auto* lens = app.add_subcommand("lens", "Measure or set the lens of a camera and mode");
  lens->require_subcommand(1);
  addMeasured(*lens, session, true);
  addMeasured(*lens, session, false);
  addFootage(*lens, session);
  addPaper(*lens, session);
  addSet(*lens, session);
  addMap(*lens, session);
  addWater(*lens, session);
  addOverlay(*lens, session);
}

}  // namespace glenhaze::console
