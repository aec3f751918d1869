#pragma once
// What the user says of clips whose files do not say which camera and mode they are of: for which clips one
// answer holds, and the answers that are carried from one shoot to the next.

#include <filesystem>
#include <map>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>

#include "core/media/clip_info.h"
#include "core/profile/match.h"

namespace glenhaze {

/// How a camera names its files: what stands before the number, "VISITOR_" of "VISITOR_007.mp4"; "" where a
/// name has no number of three digits or more.
std::string namePrefixOf(const ClipInfo& clip);

/// Clips with the same key get the same answer: camera, picture size and rate as the file says them; where it
/// says no camera, also how the file is named and coded.
std::string answerKey(const ClipInfo& clip);
/// Without names and coding: shoots of earlier versions keep answers under it.
std::string roughAnswerKey(const ClipInfo& clip);

nlohmann::json answerToJson(const CameraAnswer& answer);
CameraAnswer answerFromJson(const nlohmann::json& in);

/// Answers of earlier shoots for clips that name no camera, by answerKey. A file that cannot be read counts
/// as empty and is not written over.
class AnswerBook {
 public:
  /// `file`: need not exist.
  explicit AnswerBook(std::filesystem::path file = answerBookFile());
  /// Marked as remembered; empty for clips that name their camera, and where nothing is known.
  std::optional<CameraAnswer> find(const ClipInfo& clip) const;
  /// Keeps the newest answer; none for clips that name their camera. What another process has kept meanwhile
  /// stays. Throws Error(Unwritable).
  void remember(const ClipInfo& clip, const CameraAnswer& answer);

  static std::filesystem::path answerBookFile();

 private:
  bool read();

  std::filesystem::path file_;
  std::map<std::string, CameraAnswer> answers_;
};

}  // namespace glenhaze
