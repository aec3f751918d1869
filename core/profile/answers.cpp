#include "core/profile/answers.h"

#include <cctype>
#include <nlohmann/json.hpp>

#include "core/base/error.h"
#include "core/base/files.h"
#include "core/base/json_text.h"

namespace glenhaze {
namespace fs = std::filesystem;
using nlohmann::json;

namespace {

constexpr const char* kFormat = "glenhaze-answers";
constexpr int kAnswersVersion = 1;

}  // namespace

std::string namePrefixOf(const ClipInfo& clip) {
  constexpr size_t kDigits = 3;
  const std::string stem = clip.path.stem().string();
  for (size_t at = 0; at < stem.size();) {
    if (std::isdigit(static_cast<unsigned char>(stem[at])) == 0) {
      ++at;
      continue;
    }
    size_t end = at;
    while (end < stem.size() && std::isdigit(static_cast<unsigned char>(stem[end])) != 0) ++end;
    if (end - at >= kDigits) return stem.substr(0, at);
    at = end;
  }
  return "";
}

std::string roughAnswerKey(const ClipInfo& clip) {
  return cameraNameOf(clip) + "|" + std::to_string(clip.width) + "x" + std::to_string(clip.height) + "|" +
         (clip.kind == ClipKind::Film ? rateText(clip.nominal_fps) : "any");
}

std::string answerKey(const ClipInfo& clip) {
  const std::string rough = roughAnswerKey(clip);
  if (!cameraNameOf(clip).empty()) return rough;
  // Rates that vary are measured anew in each clip.
  const std::string key = clip.variable_rate ? rough.substr(0, rough.rfind('|')) + "|varying" : rough;
  return key + "|" + clip.codec + "|" + pathToText(namePrefixOf(clip));
}

json answerToJson(const CameraAnswer& a) {
  json out = {{"camera", a.camera},
              {"view", a.view},
              {"medium", a.medium},
              {"lens", a.lens},
              {"in_camera",
               {{"stabilization", a.in_camera.stabilization},
                {"sharpening", a.in_camera.sharpening},
                {"denoising", a.in_camera.denoising},
                {"tone", a.in_camera.tone}}}};
  if (a.remembered) out["remembered"] = true;
  return out;
}

CameraAnswer answerFromJson(const json& in) {
  const json c = in.value("in_camera", json::object());
  return {in.value("camera", ""),
          in.value("view", ""),
          in.value("medium", ""),
          in.value("lens", ""),
          {c.value("stabilization", ""), c.value("sharpening", ""), c.value("denoising", ""),
           c.value("tone", "")},
          in.value("remembered", false)};
}

fs::path AnswerBook::answerBookFile() { return userFolder("XDG_DATA_HOME", ".local/share") / "answers.json"; }

AnswerBook::AnswerBook(fs::path file) : file_(std::move(file)) { read(); }

// False where something is there that cannot be read: it is somebody's, or of a newer version.
bool AnswerBook::read() {
  std::error_code code;
  if (!fs::exists(fs::symlink_status(file_, code))) return true;
  try {
    const json in = parseJson(readFile(file_));
    if (in.value("format", "") != kFormat || in.value("version", 0) > kAnswersVersion) return false;
    std::map<std::string, CameraAnswer> answers;
    for (const auto& [key, answer] : in.at("answers").items()) answers[key] = answerFromJson(answer);
    answers_ = std::move(answers);
    return true;
  } catch (const Error&) {
    return false;
  } catch (const json::exception&) {
    return false;
  }
}

std::optional<CameraAnswer> AnswerBook::find(const ClipInfo& clip) const {
  if (!cameraNameOf(clip).empty()) return std::nullopt;
  const auto known = answers_.find(answerKey(clip));
  if (known == answers_.end()) return std::nullopt;
  CameraAnswer answer = known->second;
  answer.remembered = true;
  return answer;
}

void AnswerBook::remember(const ClipInfo& clip, const CameraAnswer& answer) {
  if (!cameraNameOf(clip).empty() || answer.camera.empty()) return;
  if (!read())
    throw Error(ErrorKind::Unwritable, "The answers of earlier shoots cannot be added to", file_.string(),
                "what stands there is not ours or of a newer version", "Move it away");
  CameraAnswer kept = answer;
  kept.remembered = false;
  answers_[answerKey(clip)] = kept;
  json out = {{"format", kFormat}, {"version", kAnswersVersion}, {"answers", json::object()}};
  for (const auto& [key, one] : answers_) out["answers"][key] = answerToJson(one);
  std::error_code code;
  fs::create_directories(file_.parent_path(), code);
  writeFileAtomically(file_, jsonText(out, 2) + "\n");
}

}  // namespace glenhaze
