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
  finding_.reset();
  hot_.reset();
  factor_ = 1;
  patches_.clear();
  used_.clear();
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
  finding_.reset();
  hot_.reset();
  Q_EMIT changed();
}

void NoiseState::setFactor(double factor) {
  if (factor == factor_) return;
  factor_ = factor;
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
  if (way == way_) return;
  way_ = way;
  finding_.reset();
  Q_EMIT changed();
}

void NoiseState::setIso(double iso) {
  if (iso == iso_) return;
  iso_ = iso;
  if (finding_) finding_->curve.iso = iso;
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
  return row >= 0 && row < static_cast<int>(used_.size()) && used_[static_cast<size_t>(row)];
}

void NoiseState::addPatch(const PatchRect& rect) {
  way_ = Way::Patches;
  patches_.push_back(judge(rect));
  used_.push_back(patches_.back().flat);
  finding_.reset();
  Q_EMIT changed();
}

void NoiseState::setPatchUsed(int row, bool used) {
  if (row < 0 || row >= static_cast<int>(used_.size())) return;
  used_[static_cast<size_t>(row)] = used;
  finding_.reset();
  measure();
}

void NoiseState::removePatch(int row) {
  if (row < 0 || row >= static_cast<int>(used_.size())) return;
  patches_.erase(patches_.begin() + row);
  used_.erase(used_.begin() + row);
  finding_.reset();
  Q_EMIT changed();
}

void NoiseState::measure() {
  if (way_ == Way::LockedOff) {
    job_.run([this, shots = shots(), iso = iso_](const Progress& progress) -> Background::Finish {
      return [this, finding = measureStatic(shots, iso, progress)] { finding_ = finding; };
    });
    return;
  }
  std::vector<PatchRect> chosen;
  for (size_t i = 0; i < patches_.size(); ++i)
    if (used_[i]) chosen.push_back(patches_[i].rect);
  job_.run([this, all = shots(), iso = iso_, chosen](const Progress& progress) -> Background::Finish {
    // Patches that were placed are this shot's; in others they are found.
    std::vector<NoiseShot> shots{{all.front(), chosen}};
    for (size_t i = 1; i < all.size(); ++i) shots.push_back({all[i], {}});
    return [this, finding = measurePatches(shots, iso, progress)] {
      finding_ = finding;
      if (!patches_.empty()) return;
      patches_ = finding.patches;
      for (const PatchVerdict& v : patches_) used_.push_back(v.flat);
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
  const auto found = finding_ ? std::optional(finding_->curve) : curveBefore();
  return found && factor_ != 1 ? scaledCurve(*found, factor_) : found;
}

std::optional<NoiseEntry> NoiseState::entry() const {
  if (busy() || iso_ <= 0 || (!finding_ && factor_ == 1)) return std::nullopt;
  NoiseEntry entry;
  if (finding_) {
    std::vector<std::string> names;
    for (const ClipInfo& s : shots()) names.push_back(s.path.filename().string());
    entry = noiseEntryFrom(*finding_, names, way_ == Way::LockedOff);
  } else {
    // What the profile has, set otherwise by hand: where it came from is kept with it.
    const NoiseEntry* known = entryBefore();
    if (known == nullptr) return std::nullopt;
    entry = *known;
  }
  if (factor_ != 1) {
    entry.curve = scaledCurve(entry.curve, factor_);
    entry.origin = Origin::ByHand;
  }
  entry.curve.iso = iso_;
  entry.curve.light = light_.toStdString();
  return entry;
}

}  // namespace glenhaze::desktop
