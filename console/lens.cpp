#include <iostream>
#include <sstream>

#include "console/console.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/profile/profile.h"

namespace glenhaze::console {

namespace {

using nlohmann::json;

struct SetRequest {
  std::string model, camera, view, medium = "air", fps, out;
  std::vector<double> focal, centre, coefficients;
  int width = 0, height = 0;
};

Answer lensSet(const SetRequest& r) {
  Profile profile;
  profile.camera.name = r.camera;
  profile.camera.width = r.width;
  profile.camera.height = r.height;
  profile.camera.view = r.view;
  profile.camera.medium = r.medium;
  profile.camera.fps = parseRational(r.fps);
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
  profile.lens = part;
  saveProfile(profile, r.out);
  Answer answer;
  answer.json = {{"written", r.out}, {"notes", checkProfile(profile)}};
  answer.text = "Written: " + r.out + "\n";
  for (const auto& note : checkProfile(profile)) answer.text += "  " + note + "\n";
  return answer;
}

Answer lensMap(const std::string& file, const std::string& direction, const std::string& points_file) {
  const Profile profile = loadProfile(file);
  if (!profile.lens)
    throw Error(ErrorKind::Unreadable, "There is no lens in the profile", file, "", "Measure the lens first");
  json points;
  try {
    points = json::parse(readFile(points_file));
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

const CLI::IsMember kModels({"brown-conrady", "kannala-brandt", "division"});
const CLI::IsMember kMedia({"air", "flat-port-fresh", "flat-port-sea"});

void addSet(CLI::App& lens, Session& session) {
  auto* verb = lens.add_subcommand("set", "Type in known values");
  auto r = std::make_shared<SetRequest>();
  verb->add_option("--model", r->model, "Lens model")->required()->check(kModels);
  verb->add_option("--focal", r->focal, "Focal length FX,FY in px")->required()->delimiter(',')->expected(1, 2);
  verb->add_option("--centre", r->centre, "Centre CX,CY in px")->required()->delimiter(',')->expected(2);
  verb->add_option("--coefficients", r->coefficients, "Coefficients, separated by commas")
      ->required()
      ->delimiter(',')
      ->expected(1, 5);
  verb->add_option("--width", r->width, "Picture width, px")->required();
  verb->add_option("--height", r->height, "Picture height, px")->required();
  verb->add_option("--fps", r->fps, "Frame rate, as 30000/1001");
  verb->add_option("--camera", r->camera, "Camera name")->required();
  verb->add_option("--view", r->view, "Field-of-view setting");
  verb->add_option("--medium", r->medium, "Medium")->check(kMedia);
  verb->add_option("--out", r->out, "Profile to write")->required();
  verb->callback([r, &session] { session.verb = [r] { return lensSet(*r); }; });
}

void addMap(CLI::App& lens, Session& session) {
  auto* verb = lens.add_subcommand("map", "Move points from the picture as filmed to the straight one, or back");
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

}  // namespace

void addLens(CLI::App& app, Session& session) {
  auto* lens = app.add_subcommand("lens", "Measure or set the lens of a camera and mode");
  lens->require_subcommand(1);
  addSet(*lens, session);
  addMap(*lens, session);
}

}  // namespace glenhaze::console
