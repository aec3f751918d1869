#pragma once
// Numbers in a calibration as OpenCV's FileStorage writes them, in YAML, JSON or XML (OpenCV 4 documentation,
// "File Input and Output using XML / YAML / JSON files"). Only what a lens needs is looked for, in one pass
// that ends whatever the text holds: the library's own reader goes round for ever on damaged YAML.

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace glenhaze::detail {

/// A plain value.
class CalibrationText {
 public:
  explicit CalibrationText(std::string text) : text_(std::move(text)) {}

  /// The value of a key; nothing where there is none, or it is no finite number.
  std::optional<double> number(std::string_view key) const;
  /// The elements of a matrix, row by row; nothing where there is none, or one of them is no finite number.
  std::optional<std::vector<double>> matrix(std::string_view key) const;

 private:
  /// What follows a key: behind the colon, or between the tags.
  std::optional<std::string_view> behind(std::string_view key) const;

  std::string text_;
};

}  // namespace glenhaze::detail
