#include "core/motion/layers.h"

#include <Eigen/Dense>
#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "core/base/statistics.h"
#include "core/motion/detail/pair_rays.h"
#include "core/motion/detail/path_solver.h"
#include "core/motion/detail/turn_table.h"

namespace glenhaze {

using namespace detail;

namespace {

constexpr size_t kStretch = 300;     // frames that are looked at together
constexpr double kFarthest_px = 8;   // of what is left in one frame: a track that jumped says no more
constexpr double kFieldEdge = 0.25;  // cosine: nearer to a right angle a plane has no room for what is seen
constexpr double kLeastApart_px = 0.3;  // RMS a frame: less is tracking error
constexpr double kLeastGap = 2.5;       // between the groups, in deviations within them
constexpr double kSmallest = 0.08;      // of all evidence, for a group
constexpr double kUnsure = 0.2;         // of the gap, to each side of its middle

struct Seen {
  int chain = 0;
  Point at;          // where it is, in focal lengths from the axis
  Point left;        // of the motion, beyond what the path says, px
  double moved = 0;  // squared, px²
};

// A track from where it was found to where it was lost.
struct Chain {
  double height = 0;    // where it was found, −½..½ of the picture
  double factor = 0;    // its inverse distance against the path's
  double evidence = 0;  // how well that is told
  int group = -1;       // 0 or 1; −1: not told
};

using Place = std::pair<float, float>;

// What links a stretch to the one before it.
struct Handover {
  std::map<Place, bool> is_far;  // by where tracks stood in its last frame
};

class Stretch {
 public:
  Stretch(const TrackRecord& record, const Lens& lens, const Shutter& shutter, const CameraPath& path,
          size_t first, size_t end)
      : record_(record), path_(path), map_(lens), rows_(shutter, lens.width, lens.height), first_(first) {
    std::map<Place, int> standing;
    for (size_t i = first; i < end; ++i) frames_.push_back(seenIn(i, standing));
    last_ = std::move(standing);
  }

  /// Whether two groups are told.
  bool split() {
    factorise();
    return group();
  }

  /// Which group is far: as the stretch before has it, else the one that moves less.
  int farGroup(const Handover& before) const {
    int same = 0, other = 0;
    for (const auto& [place, chain] : firsts_)
      if (const auto was = before.is_far.find(place);
          was != before.is_far.end() && chains_[static_cast<size_t>(chain)].group >= 0)
        ++((chains_[static_cast<size_t>(chain)].group == 0) == was->second ? same : other);
    constexpr int kEnough = 5;
    if (same + other >= kEnough) return same >= other ? 0 : 1;
    std::array<double, 2> moved{}, count{};
    for (const auto& frame : frames_)
      for (const Seen& s : frame)
        if (s.chain >= 0)
          if (const int g = chains_[static_cast<size_t>(s.chain)].group; g >= 0) {
            moved[static_cast<size_t>(g)] += s.moved;
            ++count[static_cast<size_t>(g)];
          }
    return moved[0] * count[1] <= moved[1] * count[0] ? 0 : 1;
  }

  std::vector<bool> pairsOf(size_t frame, int group) const {
    std::vector<bool> kept;
    for (const Seen& s : frames_[frame - first_])
      kept.push_back(s.chain >= 0 && chains_[static_cast<size_t>(s.chain)].group == group);
    return kept;
  }

  Handover handover(int far) const {
    Handover over;
    for (const auto& [place, chain] : last_)
      if (const int g = chains_[static_cast<size_t>(chain)].group; g >= 0) over.is_far[place] = g == far;
    return over;
  }

 private:
  using Five = Eigen::Matrix<double, 5, 5>;

  // `standing`: tracks by where they were in the frame before, and then where they are in this.
  std::vector<Seen> seenIn(size_t i, std::map<Place, int>& standing) {
    const std::vector<TrackPair> pairs = record_.frames[i].pairs.read();
    std::vector<Seen> seen(pairs.size(), Seen{-1, {}, {}, 0});
    std::map<Place, int> now;
    if (i > 0 && !record_.frames[i].cut) {
      const PathFrame &before = path_.frames()[i - 1], &here = path_.frames()[i];
      const Quaternion to_here = inverse(here.orientation) * before.orientation;
      const TurnTable turn_before = turnsSince(path_, i - 1, rows_), turn_here = turnsSince(path_, i, rows_);
      for (size_t k = 0; k < pairs.size(); ++k) {
        const TrackPair& p = pairs[k];
        const Point from{p.from_x, p.from_y}, to{p.to_x, p.to_y};
        const auto a = map_.pixelToRay(from), b = map_.pixelToRay(to);
        if (!a || !b) continue;
        const Ray was = to_here * (turn_before.at(rows_.at(from)) * *a), is = turn_here.at(rows_.at(to)) * *b;
        if (was.z < kFieldEdge || is.z < kFieldEdge) continue;
        const Point at{is.x / is.z, is.y / is.z},
            left = (at - Point{was.x / was.z, was.y / was.z}) * map_.lens().fx;
        const auto held = [](double v) { return std::clamp(v, -kFarthest_px, kFarthest_px); };
        seen[k] = {chainAt({p.from_x, p.from_y}, standing),
                   at,
                   {held(left.x), held(left.y)},
                   dot(to - from, to - from)};
        now[{p.to_x, p.to_y}] = seen[k].chain;
      }
    }
    standing = std::move(now);
    return seen;
  }

  int chainAt(const Place& place, const std::map<Place, int>& standing) {
    if (const auto at = standing.find(place); at != standing.end()) return at->second;
    const int chain = static_cast<int>(chains_.size());
    Chain fresh;
    fresh.height = static_cast<double>(place.second) / record_.height - 0.5;
    // What is near stands low in most pictures: as good a beginning as any.
    fresh.factor = fresh.height;
    chains_.push_back(fresh);
    firsts_[place] = chain;
    return chain;
  }

  // In turns for time and for the tracks.
  void factorise() {
    constexpr int kRounds = 25;
    way_.assign(frames_.size(), {});
    turn_.assign(frames_.size(), Eigen::Vector3d::Zero());
    for (int round = 0; round < kRounds; ++round) {
      for (size_t f = 0; f < frames_.size(); ++f) fitFrame(f);
      std::vector<double> along(chains_.size(), 0);
      for (Chain& c : chains_) c.evidence = 0;
      for (size_t f = 0; f < frames_.size(); ++f)
        for (const Seen& s : frames_[f])
          if (s.chain >= 0) {
            along[static_cast<size_t>(s.chain)] += dot(leftOf(s, f), way_[f]);
            chains_[static_cast<size_t>(s.chain)].evidence += dot(way_[f], way_[f]);
          }
      scaleFactors(along);
    }
  }

  // Each shrunk by how badly it is told; about their mean, in deviations from it.
  void scaleFactors(const std::vector<double>& along) {
    constexpr double kDoubt = 0.05;  // of the usual evidence
    std::vector<double> evidence;
    for (const Chain& c : chains_) evidence.push_back(c.evidence);
    const double doubt = kDoubt * medianOf(std::move(evidence)) + 1e-12;
    double weight = 1e-12, sum = 0, squares = 0;
    for (size_t c = 0; c < chains_.size(); ++c) {
      chains_[c].factor = along[c] / (chains_[c].evidence + doubt);
      const double w = std::sqrt(chains_[c].evidence);
      weight += w;
      sum += w * chains_[c].factor;
      squares += w * chains_[c].factor * chains_[c].factor;
    }
    const double mean = sum / weight, deviation = std::sqrt(std::max(1e-12, squares / weight - mean * mean));
    for (Chain& c : chains_) c.factor = (c.factor - mean) / deviation;
  }

  // What is left in a frame: the tracks' factors times the camera's way, and what the path's turn is off
  // there: it may follow what is near in one frame and what is far in another.
  void fitFrame(size_t f) {
    constexpr size_t kFewest = 6;
    constexpr double kHeld =
        1e-3;  // of the evidence: a way and a turn look much alike where the view is narrow
    Five normal = Five::Zero();
    Eigen::Matrix<double, 5, 1> right = Eigen::Matrix<double, 5, 1>::Zero();
    size_t count = 0;
    for (const Seen& s : frames_[f])
      if (s.chain >= 0) {
        const auto [x, y] = rowsOf(s);
        normal += x * x.transpose() + y * y.transpose();
        right += x * s.left.x + y * s.left.y;
        ++count;
      }
    if (count < kFewest) return;
    normal.diagonal().array() += kHeld * static_cast<double>(count);
    const Eigen::Matrix<double, 5, 1> found = normal.ldlt().solve(right);
    way_[f] = {found[0], found[1]};
    turn_[f] = found.tail<3>();
  }

  // What both axes of a place see of the camera's way and of a small turn about x, y and z, px.
  std::pair<Eigen::Matrix<double, 5, 1>, Eigen::Matrix<double, 5, 1>> rowsOf(const Seen& s) const {
    const double c = chains_[static_cast<size_t>(s.chain)].factor, x = s.at.x, y = s.at.y;
    Eigen::Matrix<double, 5, 1> along, down;
    along << c, 0, x * y, -(1 + x * x), y;
    down << 0, c, 1 + y * y, -x * y, -x;
    return {along, down};
  }

  // Without what the path is off.
  Point leftOf(const Seen& s, size_t f) const {
    const auto [x, y] = rowsOf(s);
    return {s.left.x - x.tail<3>().dot(turn_[f]), s.left.y - y.tail<3>().dot(turn_[f])};
  }

  bool group() {
    double weight = 0, mean = 0;
    // A track that lived long counts as one that lived middling.
    std::vector<double> weights;
    for (const Chain& c : chains_) weights.push_back(std::sqrt(c.evidence));
    for (size_t c = 0; c < chains_.size(); ++c) {
      weight += weights[c];
      mean += weights[c] * chains_[c].factor;
    }
    if (weight <= 0) return false;
    mean /= weight;
    std::array<double, 2> middle{mean - 1, mean + 1};  // factors are in deviations
    std::array<double, 2> share{};
    double within = 0;
    constexpr int kRounds = 30;
    for (int round = 0; round < kRounds; ++round) {
      std::array<double, 2> sum{};
      share = {};
      within = 0;
      const double border = (middle[0] + middle[1]) / 2;
      for (size_t c = 0; c < chains_.size(); ++c) {
        const size_t g = chains_[c].factor < border ? 0 : 1;
        sum[g] += weights[c] * chains_[c].factor;
        share[g] += weights[c];
        within += weights[c] * std::pow(chains_[c].factor - middle[g], 2);
      }
      for (size_t g = 0; g < 2; ++g)
        if (share[g] > 0) middle[g] = sum[g] / share[g];
    }
    const double gap = middle[1] - middle[0], spread = std::sqrt(within / weight);
    double squares = 0;
    for (const Point& w : way_) squares += dot(w, w);
    const double apart_px = gap * std::sqrt(squares / static_cast<double>(std::max<size_t>(1, way_.size())));
    if (std::min(share[0], share[1]) < kSmallest * weight || gap < kLeastGap * spread ||
        apart_px < kLeastApart_px)
      return false;
    for (Chain& c : chains_) {
      const double at = (c.factor - (middle[0] + middle[1]) / 2) / gap;
      c.group = std::abs(at) < kUnsure ? -1 : at < 0 ? 0 : 1;
    }
    return true;
  }

  const TrackRecord& record_;
  const CameraPath& path_;
  LensMap map_;
  RowTimes rows_;
  size_t first_;
  std::vector<std::vector<Seen>> frames_;
  std::vector<Chain> chains_;
  std::vector<Point> way_;             // the camera's in each frame, px for a factor of 1
  std::vector<Eigen::Vector3d> turn_;  // what the path is off there, px at the middle
  std::map<Place, int> firsts_, last_;
};

}  // namespace

PartTracks tracksOfPart(const TrackRecord& record, SteadiedPart part, const Lens& lens,
                        const Shutter& shutter, const CameraPath& path, const Progress& progress) {
  PartTracks found{record, 0};
  Handover before;
  for (size_t first = 0; first < record.frames.size();) {
    progress.check();
    size_t end = std::min(record.frames.size(), first + kStretch);
    if (record.frames.size() - end < kStretch / 3) end = record.frames.size();
    for (size_t i = first + 1; i < end; ++i)
      if (record.frames[i].cut) end = i;
    Stretch stretch(record, lens, shutter, path, first, end);
    if (stretch.split()) {
      const int far = stretch.farGroup(before), wanted = part == SteadiedPart::Far ? far : 1 - far;
      for (size_t i = first; i < end; ++i)
        found.record.frames[i].pairs = record.frames[i].pairs.only(stretch.pairsOf(i, wanted));
      before = stretch.handover(far);
      found.told_share += static_cast<double>(end - first) / static_cast<double>(record.frames.size());
    } else {
      before = {};
    }
    first = end;
  }
  return found;
}

}  // namespace glenhaze
