#pragma once
// How clips come out, as a form: for one shoot, and for shoots yet to come.

#include <QWidget>
#include <functional>

#include "core/treat/shoot.h"
#include "desktop/background.h"

class QCheckBox;
class QComboBox;
class QDoubleSpinBox;
class QFormLayout;
class QLabel;
class QLineEdit;
class QSpinBox;

namespace glenhaze::desktop {

class OutputForm : public QWidget {
  Q_OBJECT
 public:
  explicit OutputForm(const OutputSettings& now, QWidget* parent = nullptr);
  /// Says below the form what settings mean, again after each change.
  void sayEffect(const std::function<QString(const OutputSettings&)>& effect);
  /// Adds a line for the folder; `folder` is the one in use.
  void askFolder(const std::filesystem::path& folder);
  OutputSettings settings() const;

 private:
  QComboBox* choice(const QString& label, const QStringList& names, int current);
  void addPair(const QString& label, QWidget* left, QWidget* between, QWidget* right);
  QSpinBox* number(const QString& label, int most, int value, const QString& suffix, const QString& tip);
  void addFile(const OutputSettings& now);
  void addPicture(const OutputSettings& now);
  void take(const OutputSettings& settings);
  void offerGraphics();
  OutputSettings before_;
  std::filesystem::path folder_before_;
  QFormLayout* form_ = nullptr;
  QLineEdit *folder_ = nullptr, *name_ = nullptr;
  QComboBox *use_ = nullptr, *codec_ = nullptr, *stills_ = nullptr, *quality_ = nullptr, *sound_ = nullptr,
            *shape_ = nullptr, *place_ = nullptr;
  QDoubleSpinBox* rate_ = nullptr;
  QCheckBox* graphics_ = nullptr;
  Background asking_;
  QSpinBox *width_ = nullptr, *height_ = nullptr, *fill_ = nullptr, *amount_ = nullptr;
};

}  // namespace glenhaze::desktop
