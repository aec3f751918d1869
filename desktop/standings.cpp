#include "desktop/standings.h"

#include "core/base/error.h"

namespace glenhaze::desktop {

namespace {

constexpr int kSoon_ms = 150;  // several changes often come at once

std::vector<ClipStatus> statusOfAll(const PlanList& plans, FactStore& store, const Progress& progress) {
  std::map<std::filesystem::path, std::unique_ptr<RunRecord>> records;
  std::vector<ClipStatus> all;
  all.reserve(plans.size());
  for (const ClipPlan& plan : plans) {
    progress.check();
    const auto folder = plan.job.place.path.parent_path();
    const auto [record, is_new] = records.try_emplace(folder);
    if (is_new && !folder.empty() && RunRecord::isIn(folder))
      record->second = std::make_unique<RunRecord>(folder);
    if (!plan.decision.missing.any() || !record->second) {
      all.push_back(statusOf(plan, record->second.get()));
      continue;
    }
    // What a run has found out meanwhile.
    ClipFacts facts = plan.facts;
    if (!facts.id.exists()) facts.id = fileIdOf(plan.info.path);
    recall(store, facts);
    all.push_back(statusOf(planAgain(plan, std::move(facts)), record->second.get()));
  }
  return all;
}

}  // namespace

Standings::Standings(QObject* parent) : QObject(parent) {
  soon_.setSingleShot(true);
  soon_.setInterval(kSoon_ms);
  connect(&soon_, &QTimer::timeout, this, &Standings::look);
}

void Standings::follow(std::shared_ptr<const PlanList> plans, std::shared_ptr<FactStore> store) {
  if (plans_ && plans_->size() != plans->size()) known_.clear();
  plans_ = std::move(plans);
  store_ = std::move(store);
  soon_.start();
}

const ClipStatus* Standings::of(int clip) const {
  return clip >= 0 && clip < static_cast<int>(known_.size()) ? &known_[static_cast<size_t>(clip)] : nullptr;
}

void Standings::look() {
  if (!plans_) return;
  looking_.run([this, plans = plans_, store = store_](const Progress& progress) -> Background::Finish {
    // A record that cannot be read is the run's to complain of.
    std::vector<ClipStatus> found;
    try {
      found = statusOfAll(*plans, *store, progress);
    } catch (const Error& error) {
      if (error.kind() == ErrorKind::Cancelled) throw;
    }
    return [this, plans, found] {
      if (plans != plans_) return;
      known_ = found;
      Q_EMIT changed();
    };
  });
}

}  // namespace glenhaze::desktop
