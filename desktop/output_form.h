#pragma once
// How clips come out, as a form: for one shoot, and for shoots yet to come.

#include <QWidget>

#include "core/treat/shoot.h"

class QComboBox;
class QDoubleSpinBox;
class QFormLayout;
class QLineEdit;
class QSpinBox;

namespace glenhaze::desktop {

class OutputForm : public QWidget {
  Q_OBJECT
 public:
  explicit OutputForm(const OutputSettings& now, QWidget* parent = nullptr);
  /// Adds a line for the folder; `folder` is the one in use.
  void askFolder(const std::filesystem::path& folder);
  OutputSettings settings() const;

 private:
  OutputSettings before_;
  std::filesystem::path folder_before_;
  QFormLayout* form_ = nullptr;
  QLineEdit* folder_ = nullptr;
  QComboBox *codec_ = nullptr, *quality_ = nullptr, *sound_ = nullptr;
  QDoubleSpinBox* rate_ = nullptr;
  QSpinBox *width_ = nullptr, *height_ = nullptr, *fill_ = nullptr, *amount_ = nullptr;
};

}  // namespace glenhaze::desktop
