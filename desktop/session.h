#pragma once
// What is open: the shoot, what its files are, the profiles, and the plan that follows from them. All
// places read from here and send their wishes here; nothing else holds these values.

#include <QObject>
#include <QString>
#include <QStringList>
#include <QThreadPool>
#include <QTimer>
#include <QUndoStack>
#include <atomic>
#include <deque>
#include <functional>
#include <memory>
#include <string>
#include <unordered_map>
#include <vector>

#include "core/clip/fact_store.h"
#include "core/farm/farm_run.h"
#include "core/run/batch.h"
#include "core/treat/shoot.h"
#include "desktop/footage_watch.h"
#include "desktop/motion_store.h"
#include "desktop/picture_cache.h"
#include "desktop/standings.h"

namespace glenhaze::desktop {

class Session : public QObject {
  Q_OBJECT
 public:
  explicit Session(QObject* parent = nullptr);
  ~Session() override;

  const Shoot& shoot() const { return shoot_; }
  const std::vector<Profile>& profiles() const { return profiles_; }
  const PlanList& plans() const { return *plans_; }
  /// What a clip or reference shot of the shoot is; null until it has been looked at.
  std::shared_ptr<const ClipInfo> infoOf(const std::filesystem::path& path) const;
  /// Profile files that could not be read, in words.
  const QStringList& profileProblems() const { return profile_problems_; }
  bool probing() const { return probing_ > 0 || !arrived_.empty(); }
  QUndoStack& undoStack() { return undo_; }
  bool isModified() const { return !undo_.isClean() || (shoot_.path.empty() && !shoot_.clips.empty()); }
  QString title() const;

  /// All of these throw Error, which the caller shows.
  void newShoot();
  void open(const QString& path);
  void openFolder(const QString& folder);
  void save(const QString& path);

  /// What new shoots start with.
  void setOutputDefaults(const OutputSettings& output) { output_defaults_ = output; }
  const OutputSettings& outputDefaults() const { return output_defaults_; }

  /// Adds footage files and the footage of folders, those that are not in the shoot yet; returns how many.
  int addPaths(const QStringList& paths);

  /// An edit of the shoot that can be undone.
  void edit(const QString& what, const std::function<void(Shoot&)>& change);

  /// Puts what differs from the profile as it was into its file, or makes one in the shoot's profile folder
  /// (or the library), as an edit that can be undone. Throws Error, and nothing has changed then.
  void putProfile(const QString& what, Profile profile);

  /// The profile's file becomes exactly this one. Throws Error.
  void replaceProfile(const QString& what, const Profile& profile);
  /// Copies of a profile, or of all in a .zip, as edits that can be undone; says what came in. Throws Error.
  QString importProfiles(const std::filesystem::path& file);

  /// The clip that Bench and Compare look at; −1: none.
  int currentClip() const { return current_; }
  void setCurrentClip(int index);

  enum class AnswerFor { AllAlike, ThisClip };
  /// Takes what the user says of a clip's camera and mode, and remembers it for clips that look alike in
  /// later shoots.
  void answer(int clip, const CameraAnswer& answer, AnswerFor whom);

  /// The profile that a clip uses or should get: its match, or a new one for its camera and mode.
  Profile profileFor(int clip) const;

  /// Whether footage is still as it was when it was looked at; what is not is looked at anew.
  void lookAtFilesAgain() { watch_.lookAgain(); }

  /// The run in progress or finished last; null before the first.
  std::shared_ptr<Batch> batch() const { return batch_; }
  /// Pictures made for looking at, of all places.
  const std::shared_ptr<PictureCache>& pictures() const { return pictures_; }
  /// What is known of footage, kept beside the shoot; null never.
  std::shared_ptr<FactStore> store() const { return store_; }
  /// The motion of clips that were looked at.
  MotionStore& motion() { return motion_; }
  const MotionStore& motion() const { return motion_; }
  bool running() const { return running_; }
  /// How clips stand against what is in the output folder.
  Standings& standings() { return standings_; }
  const Standings& standings() const { return standings_; }
  NextStep nextStep() const { return glenhaze::nextStep(*plans_, standings_.all(), shoot_); }
  /// How a clip stands in the run; null when it is not in one.
  const RunItem* runItemOf(const std::filesystem::path& clip) const;
  /// The run's items as of the last runChanged().
  const std::vector<RunItem>& runItems() const { return run_items_; }
  void startRun();
  void stopRun();
  /// Where the next run renders: on the computers that Slurm has, or on this one.
  void setFarm(std::optional<FarmOptions> farm) { farm_ = std::move(farm); }
  const std::optional<FarmOptions>& farm() const { return farm_; }
  /// Whether the run in progress, or the last one, is done by other computers.
  bool runsElsewhere() const { return elsewhere_; }

 Q_SIGNALS:
  void changed();
  /// Something that nobody waits for an answer of went wrong; a sentence for the user.
  void failed(const QString& what);
  void currentClipChanged();
  void runChanged();

 private:
  friend class ShootEdit;
  friend class ProfileEdit;
  void setShoot(Shoot shoot);
  void reset(Shoot shoot);
  void openStore();
  void probeMissing();
  void replan();
  void takeArrived();
  void recall();
  void takeRunItems();
  void takeAnswers();
  void loadAllProfiles();

  Shoot shoot_;
  std::vector<Profile> profiles_;
  std::shared_ptr<const PlanList> plans_ = std::make_shared<PlanList>();
  QStringList profile_problems_;
  // By their names as bytes: comparing paths part by part takes long where there are very many.
  std::unordered_map<std::string, std::shared_ptr<const ClipFacts>> facts_;
  std::deque<std::pair<std::string, std::shared_ptr<const ClipFacts>>> arrived_;  // not planned with yet
  std::shared_ptr<FactStore> store_ = std::make_shared<FactStore>();
  AnswerBook answers_;
  QUndoStack undo_;
  int probing_ = 0;
  int generation_ = 0;
  OutputSettings output_defaults_;
  int current_ = -1;
  bool current_known_ = false;  // its file has been looked at
  QTimer replan_soon_;
  std::shared_ptr<Batch> batch_;
  std::stop_source run_stop_;
  bool running_ = false, elsewhere_ = false;
  std::optional<FarmOptions> farm_;
  std::vector<RunItem> run_items_;
  std::unordered_map<std::string, size_t> run_index_;
  QTimer run_update_;  // joins what the run says to at most ten updates a second
  std::shared_ptr<std::atomic<bool>> run_said_ = std::make_shared<std::atomic<bool>>(false);
  MotionStore motion_;
  Standings standings_;
  FootageWatch watch_;
  std::shared_ptr<PictureCache> pictures_ = std::make_shared<PictureCache>();
  // Last, so that they are waited for first.
  QThreadPool probes_, runs_;
};

}  // namespace glenhaze::desktop
