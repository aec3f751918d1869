#pragma once
// Which reference shot a station measures from: those of the camera first, then the clip and its like.

#include <QWidget>
#include <set>
#include <vector>

#include "desktop/session.h"

class QComboBox;

namespace glenhaze::desktop {

class ShotChooser : public QWidget {
  Q_OBJECT
 public:
  explicit ShotChooser(Session& session, QWidget* parent = nullptr);
  /// Offers the shots that suit a clip's camera and mode; keeps `wanted` chosen where it is among them.
  void offer(int clip, const std::filesystem::path& wanted);
  /// Chooses by file name; false when it is not on offer.
  bool choose(const QString& file_name);
  const std::vector<ClipInfo>& offered() const { return offered_; }

 Q_SIGNALS:
  void chosen(const glenhaze::ClipInfo& shot);
  void trouble(const QString& text);

 private:
  std::vector<ClipInfo> suitable() const;
  void add();
  void chooseAdded();
  void tell(int index);
  Session& session_;
  QComboBox* list_ = nullptr;
  std::vector<ClipInfo> offered_;
  QStringList names_;  // of those
  int clip_ = -1;
  std::set<std::filesystem::path> added_;  // by the user in this sitting
  std::filesystem::path added_last_;       // not looked at yet
};

}  // namespace glenhaze::desktop
