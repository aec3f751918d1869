#include "core/profile/library.h"

#include <algorithm>
#include <opencv2/core.hpp>

#include "core/base/error.h"
#include "core/base/files.h"

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
  try {
    cv::FileStorage in(path.string(), cv::FileStorage::READ);
    if (!in.isOpened()) throw fail("it cannot be opened");
    cv::Mat matrix, coefficients;
    in["camera_matrix"] >> matrix;
    in["distortion_coefficients"] >> coefficients;
    if (matrix.rows != 3 || matrix.cols != 3) throw fail("there is no 3 × 3 camera_matrix");
    matrix.convertTo(matrix, CV_64F);
    coefficients.convertTo(coefficients, CV_64F);
    Profile profile;
    profile.camera = camera;
    LensPart part;
    Lens& lens = part.lens;
    lens.width = in["image_width"].empty() ? camera.width : static_cast<int>(in["image_width"]);
    lens.height = in["image_height"].empty() ? camera.height : static_cast<int>(in["image_height"]);
    profile.camera.width = lens.width;
    profile.camera.height = lens.height;
    const bool fisheye = !in["fisheye_model"].empty() && static_cast<int>(in["fisheye_model"]) != 0;
    lens.model = fisheye ? LensModel::KannalaBrandt : LensModel::BrownConrady;
    lens.fx = matrix.at<double>(0, 0);
    lens.fy = matrix.at<double>(1, 1);
    lens.cx = matrix.at<double>(0, 2);
    lens.cy = matrix.at<double>(1, 2);
    const int given = static_cast<int>(coefficients.total());
    const int known = numCoefficients(lens.model);
    for (int i = 0; i < given; ++i) {
      if (i < known)
        lens.k[static_cast<size_t>(i)] = coefficients.at<double>(i);
      else if (coefficients.at<double>(i) != 0)
        throw fail("it uses more than " + std::to_string(known) +
                   " coefficients (rational or thin-prism model)");
    }
    lens.validate();
    part.origin = Origin::Imported;
    part.method = "imported";
    if (!in["avg_reprojection_error"].empty())
      part.rms_px = static_cast<double>(in["avg_reprojection_error"]);
    Evidence evidence;
    evidence.kind = "imported";
    evidence.source = path.filename().string();
    part.evidence.push_back(evidence);
    profile.lens = part;
    return profile;
  } catch (const cv::Exception& e) {
    throw fail(e.err);
  } catch (const Error& e) {
    if (e.kind() == ErrorKind::Unreadable) throw;
    throw fail(e.what());
  } catch (const std::exception& e) {
    // OpenCV's reader lets the standard library's own exceptions through for damaged files.
    throw fail(e.what());
  }
}

}  // namespace glenhaze
