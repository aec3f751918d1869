#include "desktop/bench/noise_state.h"

#include <algorithm>

namespace glenhaze::desktop {

NoiseState::NoiseState(QObject* parent) : QObject(parent) {
  connect(&job_, &Background::changed, this, &NoiseState::changed);
  connect(&job_, &Background::progressed, this, &NoiseState::progressed);
}

void NoiseState::setCamera(const CameraMode& camera, const std::optional<NoisePart>& before) {
  before_ = before;
  if (camera == camera_) return Q_EMIT changed();
  camera_ = camera;
  forget();
  Q_EMIT changed();
}

void NoiseState::forget() {
  job_.stop();
  job_.setTrouble({});
  steps_.clear();
  hot_.reset();
  Marks none;
  none.way = marks_.way;
  marks_ = std::move(none);
}

void NoiseState::keepStep(const QString& what, MarkStep<NoiseState>::Kind kind) {
  steps_.push(new MarkStep<NoiseState>(what, *this, marks_, kind));
}

NoiseState::Marks NoiseState::exchange(Marks marks) {
  Marks before = exchanged(job_, marks_, std::move(marks));
  Q_EMIT changed();
  return before;
}

void NoiseState::setOffered(std::vector<ClipInfo> shots) { offered_ = std::move(shots); }

std::vector<ClipInfo> NoiseState::sameIso() const {
  std::vector<ClipInfo> same;
  for (const ClipInfo& s : offered_)
    if (s.path != shot_.path && s.width == shot_.width && s.height == shot_.height && s.iso && iso_ > 0 &&
        static_cast<double>(*s.iso) == iso_)
      same.push_back(s);
  return same;
}

std::vector<ClipInfo> NoiseState::shots() const {
  std::vector<ClipInfo> all{shot_};
  if (together_)
    for (ClipInfo& other : sameIso()) all.push_back(std::move(other));
  return all;
}

void NoiseState::setTogether(bool on) {
  if (on == together_) return;
  together_ = on;
  marks_.finding.reset();
  hot_.reset();
  Q_EMIT changed();
}

void NoiseState::setFactor(double factor) {
  if (factor == marks_.factor) return;
  keepStep(tr("set the curve by hand"), MarkStep<NoiseState>::Nudge);
  marks_.factor = factor;
  Q_EMIT changed();
}

void NoiseState::findHot() {
  job_.run([this, shots = shots()](const Progress& progress) -> Background::Finish {
    return [this, found = findHotPixels(shots, progress)] { hot_ = found; };
  });
}

void NoiseState::setShot(const ClipInfo& shot) {
  if (shot.path == shot_.path) return;
  forget();
  shot_ = shot;
  frame_ = next_ = {};
  cells_.clear();
  iso_ = shot.iso ? static_cast<double>(*shot.iso) : 0;
  Q_EMIT changed();
}

void NoiseState::setWay(Way way) {
  if (way == marks_.way) return;
  if (marks_.finding) keepStep(tr("measure another way"));
  marks_.way = way;
  marks_.finding.reset();
  Q_EMIT changed();
}

void NoiseState::setIso(double iso) {
  if (iso == iso_) return;
  iso_ = iso;
  if (marks_.finding) marks_.finding->curve.iso = iso;
  Q_EMIT changed();
}

void NoiseState::setLight(const QString& light) {
  if (light == light_) return;
  light_ = light;
  Q_EMIT changed();
}

void NoiseState::setFrames(const Frame& frame, const Frame& next) {
  frame_ = frame;
  next_ = next;
  cells_.clear();
  Q_EMIT changed();
}

PatchVerdict NoiseState::judge(const PatchRect& rect) const {
  if (frame_.width == 0) {
    PatchVerdict unknown;
    unknown.rect = rect;
    return unknown;
  }
  return judgePatch(frame_, next_.width > 0 ? &next_ : nullptr, rect);
}

const std::vector<PatchVerdict>& NoiseState::cells() {
  if (cells_.empty() && frame_.width > 0) cells_ = judgeCells(frame_, next_.width > 0 ? &next_ : nullptr);
  return cells_;
}

bool NoiseState::patchUsed(int row) const {
  return row >= 0 && row < static_cast<int>(marks_.used.size()) && marks_.used[static_cast<size_t>(row)];
}

void NoiseState::addPatch(const PatchRect& rect) {
  keepStep(tr("mark a place"));
  marks_.way = Way::Patches;
  marks_.patches.push_back(judge(rect));
  marks_.used.push_back(marks_.patches.back().flat);
  marks_.finding.reset();
  Q_EMIT changed();
}

void NoiseState::setPatchUsed(int row, bool used) {
  if (row < 0 || row >= static_cast<int>(marks_.used.size())) return;
  keepStep(used ? tr("take a place in") : tr("leave a place out"));
  marks_.used[static_cast<size_t>(row)] = used;
  marks_.finding.reset();
  measure();
}

void NoiseState::removePatch(int row) {
  if (row < 0 || row >= static_cast<int>(marks_.used.size())) return;
  keepStep(tr("drop a place"));
  marks_.patches.erase(marks_.patches.begin() + row);
  marks_.used.erase(marks_.used.begin() + row);
  marks_.finding.reset();
  Q_EMIT changed();
}

void NoiseState::measure() {
  if (marks_.way == Way::LockedOff) {
    job_.run([this, shots = shots(), iso = iso_](const Progress& progress) -> Background::Finish {
      NoiseFinding found = measureStatic(shots, iso, progress);
      sayCoding(found, shots, progress);
      return [this, finding = std::move(found)] {
        keepStep(tr("measure noise"));
        marks_.finding = finding;
      };
    });
    return;
  }
  std::vector<PatchRect> chosen;
  for (size_t i = 0; i < marks_.patches.size(); ++i)
    if (marks_.used[i]) chosen.push_back(marks_.patches[i].rect);
  job_.run([this, all = shots(), iso = iso_, chosen](const Progress& progress) -> Background::Finish {
    // Patches that were placed are this shot's; in others they are found.
    std::vector<NoiseShot> shots{{all.front(), chosen}};
    for (size_t i = 1; i < all.size(); ++i) shots.push_back({all[i], {}});
    NoiseFinding found = measurePatches(shots, iso, progress);
    sayCoding(found, all, progress);
    return [this, finding = std::move(found)] {
      keepStep(tr("measure noise"));
      marks_.finding = finding;
      if (!marks_.patches.empty()) return;
      marks_.patches = finding.patches;
      for (const PatchVerdict& v : marks_.patches) marks_.used.push_back(v.flat);
    };
  });
}

const NoiseEntry* NoiseState::entryBefore() const {
  if (!before_) return nullptr;
  for (const NoiseEntry& e : before_->entries)
    if (e.curve.iso == iso_ && e.curve.light == light_.toStdString()) return &e;
  return nullptr;
}

std::optional<NoiseCurve> NoiseState::curveBefore() const {
  const NoiseEntry* known = entryBefore();
  return known != nullptr ? std::optional(known->curve) : std::nullopt;
}

std::optional<NoiseCurve> NoiseState::curve() const {
  const auto found = marks_.finding ? std::optional(marks_.finding->curve) : curveBefore();
  return found && marks_.factor != 1 ? scaledCurve(*found, marks_.factor) : found;
}

std::optional<NoiseEntry> NoiseState::entry() const {
  if (busy() || iso_ <= 0 || (!marks_.finding && marks_.factor == 1)) return std::nullopt;
  NoiseEntry entry;
  if (marks_.finding) {
    std::vector<std::string> names;
    for (const ClipInfo& s : shots()) names.push_back(s.path.filename().string());
    entry = noiseEntryFrom(*marks_.finding, names, marks_.way == Way::LockedOff);
  } else {
    // What the profile has, set otherwise by hand: where it came from is kept with it.
    const NoiseEntry* known = entryBefore();
    if (known == nullptr) return std::nullopt;
    entry = *known;
  }
  if (marks_.factor != 1) {
    entry.curve = scaledCurve(entry.curve, marks_.factor);
    entry.origin = Origin::ByHand;
  }
  entry.curve.iso = iso_;
  entry.curve.light = light_.toStdString();
  return entry;
}

}  // namespace glenhaze::desktop
