#include "desktop/session.h"

#include <QElapsedTimer>
#include <QPointer>
#include <QUndoCommand>
#include <algorithm>
#include <array>
#include <utility>

#include "core/base/error.h"
#include "core/media/sequence.h"
#include "core/profile/bundle.h"
#include "core/profile/edit.h"
#include "core/profile/library.h"
#include "core/run/status.h"
#include "core/treat/shoot_change.h"
#include "desktop/elsewhere.h"
#include "desktop/trouble.h"

namespace glenhaze::desktop {
namespace fs = std::filesystem;

namespace {
constexpr int kPlanEvery_ms = 150;      // while files are looked at
constexpr size_t kArrivedAtOnce = 250;  // files
}  // namespace

class ShootEdit : public QUndoCommand {
 public:
  ShootEdit(Session& session, const QString& what, const Shoot& after)
      : QUndoCommand(what), session_(session), change_(session.shoot(), after) {}
  void undo() override {
    Shoot shoot = session_.shoot();
    change_.revert(shoot);
    session_.setShoot(std::move(shoot));
  }
  void redo() override {
    Shoot shoot = session_.shoot();
    change_.apply(shoot);
    session_.setShoot(std::move(shoot));
  }

 private:
  Session& session_;
  ShootChange change_;
};

// Files follow the undo: what is on the disk is always what the window shows.
class ProfileEdit : public QUndoCommand {
 public:
  /// A change that has been made already.
  ProfileEdit(Session& session, const QString& what, const ProfileChange& made)
      : QUndoCommand(what),
        session_(session),
        before_(made.before),
        after_(made.before.path, made.profile.kept_json) {}
  void redo() override { restore(std::exchange(made_, true) ? std::optional(after_) : std::nullopt); }
  void undo() override { restore(before_); }

 private:
  void restore(const std::optional<ProfileBackup>& state) {
    try {
      if (state) restoreProfile(*state);
    } catch (const Error& error) {
      // Nothing may be thrown through the stack of changes; what is on the disk is what the window shows.
      Q_EMIT session_.failed(QString::fromUtf8(error.what()));
    }
    session_.loadAllProfiles();
    session_.replan();
  }
  Session& session_;
  ProfileBackup before_, after_;
  bool made_ = false;
};

Session::Session(QObject* parent) : QObject(parent) {
  replan_soon_.setSingleShot(true);
  replan_soon_.setInterval(kPlanEvery_ms);
  connect(&replan_soon_, &QTimer::timeout, this, &Session::takeArrived);
  constexpr int kRunUpdate_ms = 100;
  run_update_.setSingleShot(true);
  run_update_.setInterval(kRunUpdate_ms);
  connect(&run_update_, &QTimer::timeout, this, &Session::takeRunItems);
  connect(&watch_, &FootageWatch::changed, this, [this](const QString& file) {
    facts_.erase(file.toStdString());
    probeMissing();
  });
}

Session::~Session() {
  run_stop_.request_stop();
  // The stack speaks up while it is taken down; whoever listens would look at what has gone already.
  undo_.disconnect();
}

QString Session::title() const {
  return shoot_.name.empty() ? tr("Untitled shoot") : QString::fromStdString(shoot_.name);
}

void Session::reset(Shoot shoot) {
  ++generation_;
  // A run is of the shoot that it was started for.
  run_stop_.request_stop();
  batch_.reset();
  takeRunItems();
  undo_.clear();
  shoot_ = std::move(shoot);
  facts_.clear();
  arrived_.clear();
  openStore();
  probing_ = 0;
  current_ = shoot_.clips.empty() ? -1 : 0;
  current_known_ = false;
  loadAllProfiles();
  probeMissing();
  replan();
  Q_EMIT currentClipChanged();
}

void Session::openStore() {
  store_ = shoot_.path.empty() ? std::make_shared<FactStore>()
                               : std::make_shared<FactStore>(shoot_.path.parent_path() / kFactsName);
}

void Session::newShoot() {
  Shoot shoot;
  shoot.output = output_defaults_;
  reset(std::move(shoot));
}

void Session::open(const QString& path) { reset(loadShoot(path.toStdString())); }

void Session::openFolder(const QString& folder) {
  const fs::path root = folder.toStdString();
  // A folder that holds a shoot is opened as that shoot.
  std::error_code code;
  for (const auto& entry : fs::directory_iterator(root, code))
    if (entry.path().string().ends_with(kShootEnding)) return reset(loadShoot(entry.path()));
  Shoot shoot = shootFromFolder(root);
  shoot.output = output_defaults_;
  reset(std::move(shoot));
}

void Session::save(const QString& path) {
  saveShoot(shoot_, path.toStdString());
  undo_.setClean();
  openStore();
  loadAllProfiles();
  replan();
}

int Session::addPaths(const QStringList& paths) {
  std::vector<fs::path> found;
  for (const QString& text : paths) {
    const fs::path path = text.toStdString();
    if (fs::is_directory(path)) {
      const auto inside = listFootage(path);
      found.insert(found.end(), inside.begin(), inside.end());
    } else {
      found.push_back(path);
    }
  }
  Shoot after = shoot_;
  int added = 0;
  for (const fs::path& path : found) {
    const fs::path absolute = fs::absolute(path).lexically_normal();
    const bool known = std::any_of(after.clips.begin(), after.clips.end(),
                                   [&](const ShootClip& c) { return c.path == absolute; });
    if (known) continue;
    ShootClip clip;
    clip.path = absolute;
    after.clips.push_back(clip);
    ++added;
  }
  if (added > 0) {
    if (after.name.empty()) after.name = after.clips.front().path.parent_path().filename().string();
    undo_.push(new ShootEdit(*this, tr("Bring in footage"), after));
  }
  return added;
}

void Session::edit(const QString& what, const std::function<void(Shoot&)>& change) {
  Shoot after = shoot_;
  change(after);
  undo_.push(new ShootEdit(*this, what, after));
}

void Session::putProfile(const QString& what, Profile profile) {
  Profile before;
  for (const Profile& p : profiles_)
    if (p.path == profile.path) before = p;
  const fs::path folder = shoot_.path.empty() ? profileLibraryFolder() : shoot_.profileFolder();
  undo_.push(new ProfileEdit(*this, what, glenhaze::putProfile(before, profile, folder)));
}

void Session::replaceProfile(const QString& what, const Profile& profile) {
  undo_.push(new ProfileEdit(*this, what, createProfile(profile, profile.path, ExistingProfile::Replace)));
}

QString Session::importProfiles(const fs::path& file) {
  std::vector<Profile> profiles;
  if (file.extension() == kBundleEnding)
    profiles = readBundle(file);
  else
    profiles.push_back(loadProfile(file));
  QStringList names;
  for (Profile& profile : profiles) {
    // Into the shoot's own, or the library.
    profile.path.clear();
    names << QString::fromStdString(profile.camera.name);
    putProfile(tr("Import a profile"), std::move(profile));
  }
  return tr("Imported: %1").arg(names.join(QStringLiteral(", ")));
}

void Session::setShoot(Shoot shoot) {
  const bool same_files =
      shoot.references == shoot_.references &&
      std::ranges::equal(shoot.clips, shoot_.clips, [](const ShootClip& a, const ShootClip& b) {
        return a.path.native() == b.path.native();
      });
  shoot_ = std::move(shoot);
  if (current_ >= static_cast<int>(shoot_.clips.size())) current_ = static_cast<int>(shoot_.clips.size()) - 1;
  if (current_ < 0 && !shoot_.clips.empty()) current_ = 0;
  current_known_ = false;
  if (!same_files) probeMissing();
  replan();
}

void Session::loadAllProfiles() {
  ProfileSet set = loadProfiles(shoot_.profileFolders());
  profiles_ = std::move(set.profiles);
  profile_problems_.clear();
  for (const std::string& problem : set.problems) profile_problems_.append(QString::fromStdString(problem));
}

void Session::probeMissing() {
  const int generation = generation_;
  std::vector<fs::path> paths;
  for (const ShootClip& clip : shoot_.clips) paths.push_back(clip.path);
  paths.insert(paths.end(), shoot_.references.begin(), shoot_.references.end());
  watch_.setFiles(paths);
  for (const fs::path& path : paths) {
    if (facts_.contains(path.native())) continue;
    facts_[path.native()] = nullptr;
    ++probing_;
    const auto probe = [path, store = store_] { return knownFacts(path, *store); };
    runElsewhere(probes_, this, probe, [this, generation, path](const ClipFacts& facts) {
      if (generation != generation_) return;
      arrived_.emplace_back(path.native(), std::make_shared<ClipFacts>(facts));
      --probing_;
      // Many files come in at once: they are planned together, a few times a second, and at the end.
      if (probing_ == 0 && arrived_.size() <= kArrivedAtOnce)
        takeArrived();
      else if (!replan_soon_.isActive())
        replan_soon_.start();
    });
  }
}

// Plans with what has become known of files; no more of them at once than the window has time for.
void Session::takeArrived() {
  for (size_t i = 0; i < kArrivedAtOnce && !arrived_.empty(); ++i) {
    facts_[arrived_.front().first] = std::move(arrived_.front().second);
    arrived_.pop_front();
  }
  if (!probing()) recall();
  replan();
  if (!arrived_.empty()) replan_soon_.start();
}

std::shared_ptr<const ClipInfo> Session::infoOf(const fs::path& path) const {
  const auto at = facts_.find(path.native());
  if (at == facts_.end() || !at->second) return nullptr;
  return {at->second, &at->second->info};
}

// What was answered in earlier shoots is no change of the user's in this one: nothing to be undone.
void Session::recall() {
  for (size_t i = 0; i < shoot_.clips.size(); ++i)
    if (const auto info = infoOf(shoot_.clips[i].path)) takeRemembered(shoot_, i, *info, answers_);
}

void Session::answer(int clip, const CameraAnswer& answer, AnswerFor whom) {
  const ClipInfo info = plans()[static_cast<size_t>(clip)].info;
  edit(tr("Say camera and mode"), [&](Shoot& shoot) {
    ShootClip& one = shoot.clips[static_cast<size_t>(clip)];
    if (whom == AnswerFor::ThisClip) {
      one.answer = answer;
      return;
    }
    one.answer.reset();
    shoot.answers.erase(roughAnswerKey(info));
    shoot.answers[answerKey(info)] = answer;
  });
  if (whom == AnswerFor::ThisClip) return;
  try {
    answers_.remember(info, answer);
  } catch (const Error& error) {
    Q_EMIT failed(QString::fromUtf8(error.what()));
  }
}

void Session::replan() {
  KnownFacts facts;
  facts.reserve(shoot_.clips.size());
  for (const ShootClip& clip : shoot_.clips) {
    const auto known = facts_.find(clip.path.native());
    facts.push_back(known != facts_.end() ? known->second : nullptr);
  }
  replan_soon_.stop();
  QElapsedTimer clock;
  clock.start();
  plans_ = std::make_shared<const PlanList>(*plans_, shoot_, facts, profiles_);
  standings_.follow(plans_, store_);
  Q_EMIT changed();
  // While many files come in, planning and painting them takes at most a third of the time.
  replan_soon_.setInterval(static_cast<int>(std::max<qint64>(kPlanEvery_ms, 2 * clock.elapsed())));
  // What the places look at has become known.
  if (current_ >= 0 && !current_known_) {
    current_known_ = infoOf(shoot_.clips[static_cast<size_t>(current_)].path) != nullptr;
    if (current_known_) Q_EMIT currentClipChanged();
  }
}

void Session::setCurrentClip(int index) {
  if (index == current_ || index >= static_cast<int>(shoot_.clips.size())) return;
  current_ = index;
  current_known_ = current_ < 0 || infoOf(shoot_.clips[static_cast<size_t>(current_)].path) != nullptr;
  Q_EMIT currentClipChanged();
}

Profile Session::profileFor(int clip) const {
  if (clip < 0 || clip >= static_cast<int>(plans().size())) return {};
  const ClipPlan& plan = plans()[static_cast<size_t>(clip)];
  if (plan.match.kind == MatchKind::Exact || plan.match.kind == MatchKind::Assigned)
    return profiles_[static_cast<size_t>(plan.match.profile)];
  Profile fresh;
  const CameraAnswer answer = answerOf(shoot_, plan.clip, plan.info);
  fresh.camera.name = answer.camera.empty() ? cameraNameOf(plan.info) : answer.camera;
  fresh.camera.width = plan.info.width;
  fresh.camera.height = plan.info.height;
  if (plan.info.kind == ClipKind::Film) fresh.camera.fps = plan.info.nominal_fps;
  fresh.camera.view = answer.view;
  if (!answer.medium.empty()) fresh.camera.medium = answer.medium;
  fresh.camera.lens = answer.lens;
  fresh.camera.in_camera = answer.in_camera;
  return fresh;
}

void Session::startRun() {
  if (running_) return;
  // Always of what is set now: what an earlier run has made already is found in the folder.
  batch_ = std::make_shared<Batch>(*plans_, Replace::Ours);
  running_ = true;
  run_stop_ = std::stop_source();
  const QPointer<Session> self(this);
  batch_->setListener([self, said = run_said_] {
    if (said->exchange(true) || !self) return;
    QMetaObject::invokeMethod(
        self.data(),
        [self] {
          if (self && !self->run_update_.isActive()) self->run_update_.start();
        },
        Qt::QueuedConnection);
  });
  elsewhere_ = farm_.has_value();
  const auto wholeRun = [batch = batch_, token = run_stop_.get_token(), farm = farm_] {
    try {
      if (farm)
        runOnSlurm(*batch, *farm, token);
      else
        batch->run(token);
    } catch (const std::exception& error) {
      return troubleOf(error);
    }
    return QString();
  };
  runElsewhere(runs_, this, wholeRun, [this](const QString& trouble) {
    running_ = false;
    if (!trouble.isEmpty()) Q_EMIT failed(trouble);
    takeRunItems();
    takeAnswers();
    standings_.lookAgain();
  });
  takeRunItems();
}

void Session::takeRunItems() {
  run_said_->store(false);
  run_items_ = batch_ ? batch_->items() : std::vector<RunItem>{};
  run_index_.clear();
  // Of several stretches of one clip the one that has to be known of.
  const auto urgency = [](RunState state) {
    constexpr std::array kOrder = {RunState::Running,   RunState::Failed,  RunState::Waiting,
                                   RunState::Cancelled, RunState::Skipped, RunState::Done};
    return std::ranges::find(kOrder, state) - kOrder.begin();
  };
  for (size_t i = 0; i < run_items_.size(); ++i) {
    const auto [at, fresh] = run_index_.try_emplace(run_items_[i].plan->info.path.native(), i);
    if (!fresh && urgency(run_items_[i].state) < urgency(run_items_[at->second].state)) at->second = i;
  }
  Q_EMIT runChanged();
}

// What a run has found out of its clips is known from now on.
void Session::takeAnswers() {
  bool any = false;
  for (const RunItem& item : run_items_) {
    const auto at = facts_.find(item.plan->info.path.native());
    if (at == facts_.end() || !at->second || item.plan->facts.id != at->second->id) continue;
    const ClipFacts& found = item.plan->facts;
    if (found.noise.size() == at->second->noise.size() &&
        found.lens.has_value() == at->second->lens.has_value())
      continue;
    at->second = std::make_shared<const ClipFacts>(found);
    any = true;
  }
  if (any) replan();
}

const RunItem* Session::runItemOf(const fs::path& clip) const {
  const auto at = run_index_.find(clip.native());
  return at == run_index_.end() ? nullptr : &run_items_[at->second];
}

void Session::stopRun() { run_stop_.request_stop(); }

}  // namespace glenhaze::desktop
