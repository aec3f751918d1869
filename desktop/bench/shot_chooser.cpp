#include "desktop/bench/shot_chooser.h"

#include <QComboBox>
#include <QFileDialog>
#include <QHBoxLayout>
#include <QPushButton>

namespace glenhaze::desktop {

ShotChooser::ShotChooser(Session& session, QWidget* parent) : QWidget(parent), session_(session) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(0, 0, 0, 0);
  list_ = new QComboBox;
  list_->setMinimumWidth(150);
  list_->setMaximumWidth(260);
  list_->setAccessibleName(tr("Reference shot"));
  list_->setToolTip(tr("The reference shot to measure from"));
  connect(list_, &QComboBox::activated, this, &ShotChooser::tell);
  row->addWidget(list_);
  auto* add = new QPushButton(tr("Add reference shot…"));
  add->setToolTip(tr("Footage or stills of this camera and mode to measure from"));
  connect(add, &QPushButton::clicked, this, &ShotChooser::add);
  row->addWidget(add);
}

// Reference shots of the same camera first, then the clip itself and its like; in the clip's picture size.
std::vector<ClipInfo> ShotChooser::suitable() const {
  const ClipPlan& plan = session_.plans()[static_cast<size_t>(clip_)];
  const std::string camera = cameraNameOf(plan.info);
  std::vector<ClipInfo> shots;
  const auto offer = [&](const ClipInfo& info) {
    if (info.readable() && info.width == plan.info.width && info.height == plan.info.height)
      shots.push_back(info);
  };
  for (const auto& path : session_.shoot().references)
    // A shot that the user has added by hand is offered whatever its tags say.
    if (const auto info = session_.infoOf(path);
        info && (cameraNameOf(*info) == camera || cameraNameOf(*info).empty() || added_.contains(path)))
      offer(*info);
  offer(plan.info);
  // More than anybody looks through in a list only make it slow.
  constexpr size_t kMost = 300;
  for (const ClipPlan& other : session_.plans())
    if (shots.size() < kMost && other.info.path.native() != plan.info.path.native() &&
        cameraNameOf(other.info) == camera && other.match.profile == plan.match.profile)
      offer(other.info);
  return shots;
}

void ShotChooser::offer(int clip, const std::filesystem::path& wanted) {
  clip_ = clip;
  offered_ = suitable();
  QStringList names;
  int at = 0;
  for (size_t i = 0; i < offered_.size(); ++i) {
    names << QString::fromStdString(offered_[i].path.stem().native());
    if (offered_[i].path.native() == wanted.native()) at = static_cast<int>(i);
  }
  // Filling the list anew takes long where there are very many.
  if (names != names_) {
    list_->clear();
    list_->addItems(names);
    names_ = std::move(names);
  }
  list_->setCurrentIndex(at);
  if (!offered_.empty() && offered_[static_cast<size_t>(at)].path != wanted) tell(at);
  chooseAdded();
}

bool ShotChooser::choose(const QString& file_name) {
  for (size_t i = 0; i < offered_.size(); ++i)
    if (QString::fromStdString(offered_[i].path.filename().string()) == file_name) {
      list_->setCurrentIndex(static_cast<int>(i));
      tell(static_cast<int>(i));
      return true;
    }
  return false;
}

void ShotChooser::tell(int index) {
  if (index >= 0 && index < static_cast<int>(offered_.size()))
    Q_EMIT chosen(offered_[static_cast<size_t>(index)]);
}

void ShotChooser::chooseAdded() {
  const auto info = added_last_.empty() ? nullptr : session_.infoOf(added_last_);
  if (!info) return;
  const std::filesystem::path path = std::exchange(added_last_, {});
  if (!info->readable())
    Q_EMIT trouble(QString::fromStdString(info->problems.front().text));
  else if (!choose(QString::fromStdString(path.filename().string())))
    Q_EMIT trouble(tr("That shot has another picture size than this mode."));
}

void ShotChooser::add() {
  const QString file = QFileDialog::getOpenFileName(this, tr("Add reference shot"));
  if (file.isEmpty()) return;
  added_last_ = std::filesystem::absolute(file.toStdString()).lexically_normal();
  added_.insert(added_last_);
  const auto& known = session_.shoot().references;
  if (std::find(known.begin(), known.end(), added_last_) != known.end()) return chooseAdded();
  session_.edit(tr("Add reference shot"), [&](Shoot& s) { s.references.push_back(added_last_); });
}

}  // namespace glenhaze::desktop
