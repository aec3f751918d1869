#include "core/clip/pick.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/numbers.h"

namespace glenhaze {

namespace {

// Shake, travel and activity at which the one or the other is half as good.
constexpr double kShakeHalf = 0.25, kTravelHalf = 25, kActivityHalf = 0.05;
constexpr double kQuiet_db = -45;
constexpr double kFumble_s = 0.5;     // at both ends of a take the button is pressed
constexpr double kAnother = 0.9;      // each further stretch of one clip is worth so much less
constexpr double kLengthWorth = 0.3;  // longer is better, but not twice as good for twice as long

double half(double value, double at) { return 1 / (1 + value / at); }

bool isFaulty(const Moment& m, double shake_left) {
  const PickLimits& limits = kPickLimits;
  return m.blur > limits.blur || m.dark > limits.dark || m.bright > limits.bright ||
         m.shake * shake_left > limits.shake;
}

double worthOf(const Moment& m, double shake_left, Wish wish) {
  const double calm = half(m.shake * shake_left, kShakeHalf) * half(m.travel, kTravelHalf);
  const double sound = std::clamp((m.sound_db - kQuiet_db) / -kQuiet_db, 0.0, 1.0);
  const double lively = std::min(1.0, 1 - half(m.activity, kActivityHalf) + 0.3 * sound);
  const double wanted = wish == Wish::Steady ? calm : wish == Wish::Lively ? lively : (calm + lively) / 2;
  return wanted * (1 - 0.5 * m.blur);
}

struct Candidate {
  size_t clip = 0, first = 0, last = 0;  // moments [first, last)
  double mean = 0, value = 0;
};

void addCandidates(const PickClip& clip, size_t index, const PickOptions& options,
                   std::vector<Candidate>& all) {
  const ClipTimeline& t = *clip.timeline;
  // The last moment may be cut short.
  constexpr double kNearlyWhole = 0.95;
  const auto whole =
      static_cast<size_t>(clip.info->frameTime(clip.info->frames) / t.step_s + 1 - kNearlyWhole);
  const size_t count = std::min(t.moments.size(), whole);
  if (count == 0) return;
  const auto moments = [&](double seconds) {
    return static_cast<size_t>(std::max(1.0, std::round(seconds / t.step_s)));
  };
  const bool trims = clip.info->duration_s > options.shortest_s + 4 * kFumble_s;
  const size_t lead = trims ? moments(kFumble_s) : 0;
  std::vector<double> sum(count + 1);
  std::vector<size_t> good(count + 1);  // moments without a fault from here on
  for (size_t i = 0; i < count; ++i)
    sum[i + 1] = sum[i] + worthOf(t.moments[i], clip.shake_left, options.wish);
  for (size_t i = count; i-- > 0;)
    good[i] = isFaulty(t.moments[i], clip.shake_left) || i < lead || i + lead >= count ? 0 : good[i + 1] + 1;
  for (size_t i = 0; i < count; ++i)
    for (double length = options.shortest_s; length <= options.longest_s + 1e-9; length *= 1.25) {
      const size_t n = moments(length);
      if (n > good[i]) break;
      const double mean = (sum[i + n] - sum[i]) / static_cast<double>(n);
      all.push_back({index, i, i + n, mean, mean * std::pow(length, kLengthWorth)});
    }
}

std::string percent(double share) { return fixedText(share * 100, 0) + " %"; }

std::string reasonOf(const PickClip& clip, const Candidate& c) {
  const auto& all = clip.timeline->moments;
  Moment mean;
  mean.sound_db = 0;
  const auto n = static_cast<float>(c.last - c.first);
  for (size_t i = c.first; i < c.last; ++i)
    for (const auto part :
         {&Moment::shake, &Moment::travel, &Moment::blur, &Moment::activity, &Moment::sound_db})
      mean.*part += all[i].*part / n;
  const double shake = mean.shake * clip.shake_left;
  std::string text = shake < 0.05 ? "steady" : shake < 0.25 ? "nearly steady" : "shakes a little";
  text += mean.travel > 10 ? ", the camera moves" : mean.travel > 2 ? ", the camera moves slowly" : "";
  if (mean.activity > 0.01) text += ", " + percent(mean.activity) + " of the picture moves on its own";
  if (mean.blur > 0.25) text += ", a little soft";
  if (clip.timeline->sound && mean.sound_db > kQuiet_db)
    text += ", sound −" + fixedText(-mean.sound_db, 0) + " dB";
  return text;
}

}  // namespace

std::optional<Wish> wishFromName(const std::string& name) {
  if (name == "steady") return Wish::Steady;
  if (name == "lively") return Wish::Lively;
  if (name == "both") return Wish::Both;
  return std::nullopt;
}

std::vector<Suggestion> suggestStretches(std::span<const PickClip> clips, const PickOptions& options) {
  std::vector<Candidate> all;
  for (size_t i = 0; i < clips.size(); ++i) addCandidates(clips[i], i, options, all);
  std::vector<int> taken_of(clips.size());
  std::vector<Candidate> taken;
  double left = options.total_s;
  while (left > options.shortest_s / 2) {
    const Candidate* best = nullptr;
    double best_value = 0;
    for (const Candidate& c : all) {
      const double length = static_cast<double>(c.last - c.first) * clips[c.clip].timeline->step_s;
      if (length > left + options.shortest_s / 2) continue;
      const double value = c.value * std::pow(kAnother, taken_of[c.clip]);
      if (value > best_value) {
        best = &c;
        best_value = value;
      }
    }
    if (best == nullptr) break;
    const Candidate chosen = *best;
    taken.push_back(chosen);
    ++taken_of[chosen.clip];
    left -= static_cast<double>(chosen.last - chosen.first) * clips[chosen.clip].timeline->step_s;
    std::erase_if(all, [&](const Candidate& c) {
      return c.clip == chosen.clip && c.first < chosen.last && chosen.first < c.last;
    });
  }
  std::ranges::sort(taken, {}, [](const Candidate& c) { return std::pair(c.clip, c.first); });
  std::vector<Suggestion> out;
  for (const Candidate& c : taken) {
    const PickClip& clip = clips[c.clip];
    const double step = clip.timeline->step_s;
    const int64_t first = clip.info->indexAtSecond(static_cast<double>(c.first) * step);
    int64_t last = clip.info->indexAtSecond(static_cast<double>(c.last) * step);
    if (c.last == clip.timeline->moments.size()) last = clip.info->frames;
    if (last > first) out.push_back({c.clip, first, last, reasonOf(clip, c), c.mean});
  }
  return out;
}

}  // namespace glenhaze
