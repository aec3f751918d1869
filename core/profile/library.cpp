#include "core/profile/library.h"

#include <algorithm>
#include <opencv2/core.hpp>

#include "core/base/csv.h"
#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/numbers.h"
#include "core/profile/detail/calibration_text.h"

namespace glenhaze {
namespace fs = std::filesystem;

fs::path profileLibraryFolder() { return userFolder("XDG_DATA_HOME", ".local/share") / "profiles"; }

ProfileSet loadProfiles(const std::vector<fs::path>& folders) {
  ProfileSet set;
  for (const fs::path& folder : folders) {
    std::error_code code;
    std::vector<fs::path> files;
    for (const auto& entry : fs::directory_iterator(folder, code))
      if (entry.path().filename().string().ends_with(kProfileEnding)) files.push_back(entry.path());
    std::sort(files.begin(), files.end());
    for (const fs::path& file : files) {
      try {
        Profile profile = loadProfile(file);
        const bool hidden = std::any_of(set.profiles.begin(), set.profiles.end(),
                                        [&](const Profile& p) { return p.camera == profile.camera; });
        if (!hidden) set.profiles.push_back(std::move(profile));
      } catch (const Error& error) {
        set.problems.emplace_back(error.what());
      }
    }
  }
  return set;
}

std::string noiseTableCsv(const Profile& profile) {
  const auto curves = profile.noise ? profile.noise->curves() : std::vector<NoiseCurve>{};
  if (curves.empty())
    throw Error(ErrorKind::Unreadable, "There are no noise curves in the profile", profile.path.string(), "",
                "Measure the noise first");
  std::string text = "iso,light,level,sigma_y,sigma_cb,sigma_cr\n";
  for (const NoiseCurve& curve : curves) {
    const std::string light = csvQuoted(curve.light);
    for (size_t i = 0; i < curve.level.size(); ++i) {
      text += fixedText(curve.iso, 0) + "," + light + "," + fixedText(curve.level[i], 3);
      for (const auto& sigma : curve.sigma) text += "," + fixedText(i < sigma.size() ? sigma[i] : 0, 4);
      text += "\n";
    }
  }
  return text;
}

std::string toOpenCvYaml(const Profile& profile) {
  if (!profile.lens)
    throw Error(ErrorKind::BadRequest, "There is no lens in the profile", profile.camera.name, "",
                "Measure the lens first");
  const Lens& lens = profile.lens->lens;
  if (lens.model == LensModel::Division)
    throw Error(ErrorKind::BadRequest, "OpenCV has no division model", profile.camera.name, "",
                "Measure with Brown–Conrady or Kannala–Brandt");
  cv::FileStorage out("out.yml", cv::FileStorage::WRITE | cv::FileStorage::MEMORY);
  out << "camera_name" << profile.camera.name;
  out << "image_width" << lens.width << "image_height" << lens.height;
  const cv::Matx33d matrix(lens.fx, 0, lens.cx, 0, lens.fy, lens.cy, 0, 0, 1);
  cv::Mat coefficients(numCoefficients(lens.model), 1, CV_64F);
  for (int i = 0; i < coefficients.rows; ++i) coefficients.at<double>(i) = lens.k[static_cast<size_t>(i)];
  out << "fisheye_model" << (lens.model == LensModel::KannalaBrandt ? 1 : 0);
  out << "camera_matrix" << cv::Mat(matrix);
  out << "distortion_coefficients" << coefficients;
  if (profile.lens->rms_px >= 0) out << "avg_reprojection_error" << profile.lens->rms_px;
  return out.releaseAndGetString();
}

Profile fromOpenCvFile(const fs::path& path, const CameraMode& camera) {
  const auto fail = [&](const std::string& why) -> Error {
    return {ErrorKind::Unreadable, "This is not a usable OpenCV calibration", path.string(), why,
            "It needs camera_matrix and distortion_coefficients"};
  };
  const std::string text = readFile(path);
  const detail::CalibrationText in(text);
  const auto matrix = in.matrix("camera_matrix");
  if (!matrix || matrix->size() != 9) throw fail("there is no 3 × 3 camera_matrix");
  const auto coefficients = in.matrix("distortion_coefficients");
  if (!coefficients) throw fail("there are no distortion_coefficients");
  const auto whole = [&](const char* key, int otherwise) {
    const double value = in.number(key).value_or(otherwise);
    if (!(value >= 0 && value <= 1 << 20)) throw fail(std::string(key) + " is out of range");
    return static_cast<int>(value);
  };
  Profile profile;
  profile.camera = camera;
  LensPart part;
  Lens& lens = part.lens;
  lens.width = profile.camera.width = whole("image_width", camera.width);
  lens.height = profile.camera.height = whole("image_height", camera.height);
  lens.model = whole("fisheye_model", 0) != 0 ? LensModel::KannalaBrandt : LensModel::BrownConrady;
  lens.fx = (*matrix)[0];
  lens.fy = (*matrix)[4];
  lens.cx = (*matrix)[2];
  lens.cy = (*matrix)[5];
  const auto known = static_cast<size_t>(numCoefficients(lens.model));
  for (size_t i = 0; i < coefficients->size(); ++i) {
    if (i < known)
      lens.k[i] = (*coefficients)[i];
    else if ((*coefficients)[i] != 0)
      throw fail("it uses more than " + std::to_string(known) +
                 " coefficients (rational or thin-prism model)");
  }
  try {
    lens.validate();
  } catch (const Error& e) {
    throw fail(e.what());
  }
  part.origin = Origin::Imported;
  part.method = "imported";
  if (const auto rms = in.number("avg_reprojection_error")) part.rms_px = *rms;
  Evidence evidence;
  evidence.kind = "imported";
  evidence.source = path.filename().string();
  part.evidence.push_back(evidence);
  profile.lens = part;
  return profile;
}

}  // namespace glenhaze
