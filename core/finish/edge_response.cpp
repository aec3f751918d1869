#include "core/finish/edge_response.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <opencv2/core.hpp>
#include <opencv2/core/optim.hpp>
#include <optional>

#include "core/base/geometry.h"
#include "core/base/parallel.h"
#include "core/base/statistics.h"
#include "core/lens/edges.h"

namespace glenhaze {

namespace {

constexpr int kBinsPerPx = 4;      // as in ISO 12233
constexpr int kReach_px = 16;      // looked at to each side of the edge
constexpr int kGroups = 6;         // of rows, each left out in turn
constexpr double kLeastStep = 20;  // codes
constexpr double kLeastSlant_deg = 1, kMostSlant_deg = 40;

// A patch of luma, turned so that the edge runs down; 8-bit codes.
struct Patch {
  int width = 0, height = 0;
  std::vector<double> v;
  double at(int x, int y) const { return v[static_cast<size_t>(y * width + x)]; }
};

Patch patchOf(std::span<const Frame> frames, const EdgeArea& area, bool turned) {
  Patch p{turned ? area.height : area.width, turned ? area.width : area.height, {}};
  p.v.assign(static_cast<size_t>(p.width * p.height), 0);
  for (const Frame& frame : frames) {
    const double unit = 1.0 / (1 << (frame.format.bit_depth - 8)) / static_cast<double>(frames.size());
    const int bytes = frame.format.bytesPerSample();
    for (int y = 0; y < p.height; ++y)
      for (int x = 0; x < p.width; ++x)
        p.v[static_cast<size_t>(y * p.width + x)] +=
            unit * frame.planes[0].at(area.x + (turned ? y : x), area.y + (turned ? x : y), bytes);
  }
  return p;
}

// x = at + slope·y.
struct Line {
  double at = 0, slope = 0;
  double x(double y) const { return at + slope * y; }
};

// Where each row crosses the middle between the sides, about a line where there is one.
std::optional<Line> lineOf(const Patch& p, const std::optional<Line>& about) {
  constexpr int kHalf = 6;  // px around the line: what lies beyond is noise
  std::vector<std::pair<double, double>> crossings;
  for (int y = 0; y < p.height; ++y) {
    const int middle = about ? static_cast<int>(std::lround(about->x(y))) : p.width / 2;
    const int half = about ? kHalf : p.width;
    double sum = 0, moment = 0;
    for (int x = std::max(1, middle - half); x < std::min(p.width - 1, middle + half); ++x) {
      const double d = (p.at(x + 1, y) - p.at(x - 1, y)) / 2;
      sum += d;
      moment += d * x;
    }
    if (std::abs(sum) < kLeastStep / 3) continue;
    if (const double x = moment / sum; x > 0 && x < p.width) crossings.emplace_back(y, x);
  }
  if (crossings.size() < static_cast<size_t>(p.height) * 2 / 3 || crossings.size() < 8) return std::nullopt;
  // Twice, the second time without what lies far off.
  Line line;
  double allowed = 1e9;
  for (int round = 0; round < 3; ++round) {
    double n = 0, sy = 0, sx = 0, syy = 0, sxy = 0;
    std::vector<double> off;
    for (const auto& [y, x] : crossings) {
      if (std::abs(x - line.x(y)) > allowed) continue;
      n += 1;
      sy += y;
      sx += x;
      syy += y * y;
      sxy += x * y;
    }
    const double det = n * syy - sy * sy;
    if (n < 8 || det <= 0) return std::nullopt;
    line.slope = (n * sxy - sx * sy) / det;
    line.at = (sx - line.slope * sy) / n;
    for (const auto& [y, x] : crossings) off.push_back(std::abs(x - line.x(y)));
    allowed = std::max(0.5, 3 * medianOf(off));
  }
  return line;
}

// Bins across the edge; rows of one group may be left out.
struct Across {
  std::vector<double> at, level;  // px, codes
};

Across across(const Patch& p, const Line& line, int without_group) {
  const double along = 1 / std::hypot(1, line.slope);
  const int bins = 2 * kReach_px * kBinsPerPx;
  std::vector<double> sum(static_cast<size_t>(bins)), where(sum.size()), count(sum.size());
  for (int y = 0; y < p.height; ++y) {
    if (without_group >= 0 && y * kGroups / p.height == without_group) continue;
    for (int x = 0; x < p.width; ++x) {
      const double d = (x - line.x(y)) * along;
      const int bin = static_cast<int>(std::floor((d + kReach_px) * kBinsPerPx));
      if (bin < 0 || bin >= bins) continue;
      sum[static_cast<size_t>(bin)] += p.at(x, y);
      where[static_cast<size_t>(bin)] += d;
      count[static_cast<size_t>(bin)] += 1;
    }
  }
  Across out;
  for (size_t i = 0; i < sum.size(); ++i)
    if (count[i] > 0) {
      out.at.push_back(where[i] / count[i]);
      out.level.push_back(sum[i] / count[i]);
    }
  return out;
}

double stepUp(double x, double sigma) { return 0.5 * std::erfc(-x / (sigma * std::numbers::sqrt2)); }

// An edge that is softened by a Gaussian and then sharpened: its sides, and how much more than softened it
// is.
struct EdgeModel {
  double middle = 0, soft = 0.7, radius = 1.5;  // px
  double low = 0, step = 0, amount = 0;
  double plain(double x) const { return stepUp(x - middle, soft); }
  double detail(double x) const { return plain(x) - stepUp(x - middle, std::hypot(soft, radius)); }
  double at(double x) const { return low + step * (plain(x) + amount * detail(x)); }
};

// Sides and amount by least squares for given widths; returns the sum of squares.
double solveLevels(const Across& a, bool sharpened, EdgeModel& m) {
  double n = 0, g[3][3] = {}, r[3] = {}, yy = 0;
  for (size_t i = 0; i < a.at.size(); ++i) {
    const double row[3] = {1, m.plain(a.at[i]), sharpened ? m.detail(a.at[i]) : 0};
    for (int j = 0; j < 3; ++j) {
      for (int k = 0; k < 3; ++k) g[j][k] += row[j] * row[k];
      r[j] += row[j] * a.level[i];
    }
    yy += a.level[i] * a.level[i];
    n += 1;
  }
  if (!sharpened) g[2][2] = 1;
  cv::Matx33d matrix;
  for (int j = 0; j < 3; ++j)
    for (int k = 0; k < 3; ++k) matrix(j, k) = g[j][k];
  const cv::Vec3d solved = matrix.solve(cv::Vec3d(r[0], r[1], r[2]), cv::DECOMP_CHOLESKY);
  m.low = solved[0];
  m.step = solved[1];
  m.amount = std::abs(solved[1]) > 1e-9 ? solved[2] / solved[1] : 0;
  // A camera that softens has no overshoot to take back.
  if (sharpened && m.amount < 0) return solveLevels(a, false, m);
  double squares = 0;
  for (size_t i = 0; i < a.at.size(); ++i) squares += std::pow(a.level[i] - m.at(a.at[i]), 2);
  return squares / std::max(1.0, n);
}

class WidthsOf : public cv::MinProblemSolver::Function {
 public:
  explicit WidthsOf(const Across& a) : a_(a) {}
  int getDims() const override { return 3; }
  static EdgeModel model(const double* x) {
    EdgeModel m;
    m.middle = x[0];
    m.soft = std::exp(std::clamp(x[1], -2.0, 1.6));
    m.radius = std::exp(std::clamp(x[2], -0.4, 1.5));
    return m;
  }
  double calc(const double* x) const override {
    EdgeModel m = model(x);
    return solveLevels(a_, true, m);
  }

 private:
  const Across& a_;
};

// From one start, or from several where there is none to go on from.
EdgeModel fitEdge(const Across& a, const EdgeModel* from) {
  std::vector<EdgeModel> starts;
  if (from != nullptr) starts.push_back(*from);
  for (const double radius : {0.8, 1.6, 3.0})
    if (from == nullptr) {
      starts.emplace_back();
      starts.back().radius = radius;
    }
  EdgeModel best;
  double least = 1e300;
  for (const EdgeModel& start : starts) {
    cv::Mat x = (cv::Mat_<double>(1, 3) << start.middle, std::log(start.soft), std::log(start.radius));
    const double away = from != nullptr ? 0.15 : 0.4;
    const cv::Mat step = (cv::Mat_<double>(1, 3) << away, away, away);
    const cv::TermCriteria until(cv::TermCriteria::MAX_ITER + cv::TermCriteria::EPS, 400, 1e-9);
    const auto solver = cv::DownhillSolver::create(cv::makePtr<WidthsOf>(a), step, until);
    const double left = solver->minimize(x);
    if (left >= least) continue;
    least = left;
    best = WidthsOf::model(x.ptr<double>());
    solveLevels(a, true, best);
  }
  return best;
}

// Levels between the sides at even places across the edge: bins may be empty where the slant leaves gaps.
std::vector<double> evenly(const Across& a, const EdgeModel& m) {
  std::vector<double> out;
  size_t i = 0;
  for (int bin = 0; bin < 2 * kReach_px * kBinsPerPx; ++bin) {
    const double x = (bin + 0.5) / kBinsPerPx - kReach_px + m.middle;
    while (i + 2 < a.at.size() && a.at[i + 1] < x) ++i;
    const double t = std::clamp((x - a.at[i]) / std::max(1e-9, a.at[i + 1] - a.at[i]), 0.0, 1.0);
    out.push_back((a.level[i] + t * (a.level[i + 1] - a.level[i]) - m.low) / m.step);
  }
  return out;
}

// Of the line spread, windowed; made good for the finite differences and for the bins' own width.
std::vector<double> mtfOf(const std::vector<double>& edge) {
  const auto n = static_cast<int>(edge.size());
  std::vector<double> spread(edge.size(), 0);
  for (int i = 1; i + 1 < n; ++i) {
    const double window = 0.54 + 0.46 * std::cos(2 * std::numbers::pi * (i - (n - 1) / 2.0) / n);  // Hamming
    spread[static_cast<size_t>(i)] =
        window * (edge[static_cast<size_t>(i + 1)] - edge[static_cast<size_t>(i - 1)]) / 2;
  }
  std::vector<double> mtf;
  for (double f = 0; f <= 1.0 + 1e-9; f += EdgeResponse::kMtfStep) {
    double re = 0, im = 0;
    for (int i = 0; i < n; ++i) {
      const double phase = 2 * std::numbers::pi * f * i / kBinsPerPx;
      re += spread[static_cast<size_t>(i)] * std::cos(phase);
      im += spread[static_cast<size_t>(i)] * std::sin(phase);
    }
    const double x = std::numbers::pi * f / kBinsPerPx;
    const double difference = x > 0 ? std::sin(2 * x) / (2 * x) : 1, bin = x > 0 ? std::sin(x) / x : 1;
    mtf.push_back(std::hypot(re, im) / std::max(0.1, difference * bin));
  }
  const double whole = mtf.front();
  for (double& v : mtf) v /= std::max(1e-9, whole);
  return mtf;
}

double mtf50Of(const std::vector<double>& mtf) {
  for (size_t i = 1; i < mtf.size(); ++i)
    if (mtf[i] < 0.5) {
      const double t = (mtf[i - 1] - 0.5) / (mtf[i - 1] - mtf[i]);
      return (static_cast<double>(i - 1) + t) * EdgeResponse::kMtfStep;
    }
  return 1;
}

// Beyond the sides, by the model: the highest of noisy bins would be noise. Nothing where the picture has
// next to nothing of it there: then it is the shape of an edge that is no Gaussian's.
double overshootOf(const Across& a, const EdgeModel& m) {
  constexpr double kAbout_px = 0.35, kSeen = 0.4;
  double high = 0, place = 0;
  for (double x = 0; x < kReach_px; x += 0.05)
    if (const double over = (m.at(m.middle + x) - m.low) / m.step - 1; over > high) {
      high = over;
      place = x;
    }
  double sum = 0, count = 0;
  for (size_t i = 0; i < a.at.size(); ++i) {
    const double x = a.at[i] - m.middle, v = (a.level[i] - m.low) / m.step;
    if (std::abs(std::abs(x) - place) > kAbout_px) continue;
    sum += x > 0 ? v - 1 : -v;
    ++count;
  }
  return count > 0 && sum / count > kSeen * high ? high : 0;
}

struct Told {
  EdgeModel model;
  std::vector<double> edge, mtf;
  double mtf50 = 0, overshoot = 0;
};

Told tell(const Patch& p, const Line& line, int without, const EdgeModel* from) {
  const Across a = across(p, line, without);
  Told t;
  t.model = fitEdge(a, from);
  t.edge = evenly(a, t.model);
  t.mtf = mtfOf(t.edge);
  t.mtf50 = mtf50Of(t.mtf);
  t.overshoot = overshootOf(a, t.model);
  return t;
}

double riseOf(const EdgeModel& m) {
  double from = 0, to = 0;
  for (double x = -kReach_px; x < kReach_px; x += 0.01) {
    const double v = (m.at(m.middle + x) - m.low) / m.step;
    if (v < 0.1) from = x;
    if (v < 0.9) to = x;
  }
  return to - from;
}

// How uneven the sides are, as a share of the step: structure there is no edge's.
double unevenness(const Told& t) {
  double sum = 0;
  for (size_t i = 0; i < t.edge.size(); ++i) {
    const double x = (static_cast<double>(i) + 0.5) / kBinsPerPx - kReach_px;
    sum += std::pow(t.edge[i] - (t.model.at(t.model.middle + x) - t.model.low) / t.model.step, 2);
  }
  return std::sqrt(sum / static_cast<double>(t.edge.size()));
}

// With or without how sure it is, which takes most of the time.
EdgeResponse measured(std::span<const Frame> frames, const EdgeArea& area, bool how_sure) {
  EdgeResponse r;
  r.area = area;
  const auto refuse = [&](const char* why) {
    r.why_not = why;
    return r;
  };
  if (frames.empty() || std::min(area.width, area.height) < 16) return refuse("the place is too small");
  if (area.x < 0 || area.y < 0 || area.x + area.width > frames[0].width ||
      area.y + area.height > frames[0].height)
    return refuse("the place lies outside the picture");
  const Patch upright = patchOf(frames, area, false);
  double by_x = 0, by_y = 0;
  for (int y = 0; y + 1 < upright.height; ++y)
    for (int x = 0; x + 1 < upright.width; ++x) {
      by_x += std::pow(upright.at(x + 1, y) - upright.at(x, y), 2);
      by_y += std::pow(upright.at(x, y + 1) - upright.at(x, y), 2);
    }
  r.across = by_x >= by_y;
  const Patch p = r.across ? upright : patchOf(frames, area, true);
  std::optional<Line> line;
  for (int round = 0; round < 3; ++round) {
    const auto next = lineOf(p, line);
    if (!next) return refuse("there is no single edge here");
    line = next;
  }
  r.slant_deg = std::abs(std::atan(line->slope)) * 180 / std::numbers::pi;
  if (r.slant_deg < kLeastSlant_deg)
    return refuse("the edge runs along the pixels: tilt it by a few degrees");
  if (r.slant_deg > kMostSlant_deg) return refuse("the edge is too slanted");
  const Told all = tell(p, *line, -1, nullptr);
  r.step = std::abs(all.model.step);
  if (r.step < kLeastStep) return refuse("too little contrast");
  constexpr double kMostUneven = 0.03;
  if (unevenness(all) > kMostUneven) return refuse("its sides are not even");
  r.mtf = all.mtf;
  r.mtf50 = all.mtf50;
  r.overshoot = all.overshoot;
  r.rise_px = riseOf(all.model);
  for (size_t i = 0; i < all.edge.size(); ++i)
    r.edge.emplace_back((static_cast<double>(i) + 0.5) / kBinsPerPx - kReach_px, all.edge[i]);
  if (!how_sure) return r;
  std::vector<double> mtf50, overshoot;
  for (int g = 0; g < kGroups; ++g) {
    const Told part = tell(p, *line, g, &all.model);
    mtf50.push_back(part.mtf50);
    overshoot.push_back(part.overshoot);
  }
  r.mtf50_sd = std::max(0.002, jackknifeDeviation(mtf50));
  r.overshoot_sd = std::max(0.001, jackknifeDeviation(overshoot));
  if (r.overshoot > 2 * r.overshoot_sd) r.sharpening = {all.model.amount, all.model.radius};
  return r;
}

}  // namespace

EdgeResponse measureEdge(std::span<const Frame> frames, const EdgeArea& area) {
  return measured(frames, area, true);
}

std::vector<EdgeArea> findSlantedEdges(const Frame& frame, size_t most) {
  constexpr int kAlong = 48, kAcross = kReach_px + 4, kLooked = 120;
  constexpr double kShortest = 0.03;  // of the picture's width
  struct Candidate {
    EdgeArea area;
    double step = 0;
  };
  std::vector<Candidate> found;
  for (const std::vector<Point>& points : detectEdges(frame, kLooked, kShortest))
    for (size_t first = 0; first < points.size();) {
      // A piece of the edge, of a length that fits its place.
      size_t last = first;
      while (last + 1 < points.size() && length(points[last] - points[first]) < kAlong) ++last;
      const Point a = points[first], b = points[last];
      first = last + 1;
      if (length(b - a) < kAlong * 0.7) continue;
      const bool upright = std::abs(b.y - a.y) > std::abs(b.x - a.x);
      const int side_x = upright ? kAcross : 0, side_y = upright ? 0 : kAcross;
      EdgeArea area;
      area.x = static_cast<int>(std::min(a.x, b.x)) - side_x;
      area.y = static_cast<int>(std::min(a.y, b.y)) - side_y;
      area.width = static_cast<int>(std::abs(b.x - a.x)) + 2 * side_x;
      area.height = static_cast<int>(std::abs(b.y - a.y)) + 2 * side_y;
      found.push_back({area, 0});
    }
  parallelBlocks(static_cast<int>(found.size()), 1, [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      Candidate& c = found[static_cast<size_t>(i)];
      const EdgeResponse r = measured({&frame, 1}, c.area, false);
      c.step = r.usable() ? r.step : 0;
    }
  });
  std::erase_if(found, [](const Candidate& c) { return c.step <= 0; });
  std::sort(found.begin(), found.end(),
            [](const Candidate& a, const Candidate& b) { return a.step > b.step; });
  std::vector<EdgeArea> areas;
  for (const Candidate& c : found)
    if (areas.size() < most) areas.push_back(c.area);
  return areas;
}

EdgeSummary summaryOf(std::span<const EdgeResponse> edges) {
  EdgeSummary s;
  double weight = 0, by_mtf = 0, by_overshoot = 0;
  std::vector<double> amounts, radii;
  for (const EdgeResponse& e : edges) {
    if (!e.usable()) continue;
    const double m = 1 / (e.mtf50_sd * e.mtf50_sd), o = 1 / (e.overshoot_sd * e.overshoot_sd);
    s.mtf50 += m * e.mtf50;
    s.overshoot += o * e.overshoot;
    by_mtf += m;
    by_overshoot += o;
    weight += 1;
    amounts.push_back(e.sharpening.amount);
    if (e.sharpening.amount > 0) radii.push_back(e.sharpening.radius_px);
    ++s.used;
  }
  if (s.used == 0) return s;
  s.mtf50 /= by_mtf;
  s.overshoot /= by_overshoot;
  // What edges differ by beyond their own uncertainty counts as well: a picture is not equally sharp
  // everywhere.
  double between_mtf = 0, between_overshoot = 0;
  for (const EdgeResponse& e : edges) {
    if (!e.usable()) continue;
    between_mtf += std::pow(e.mtf50 - s.mtf50, 2) / weight;
    between_overshoot += std::pow(e.overshoot - s.overshoot, 2) / weight;
  }
  s.mtf50_sd = std::sqrt(1 / by_mtf + between_mtf / weight);
  s.overshoot_sd = std::sqrt(1 / by_overshoot + between_overshoot / weight);
  s.sharpening.amount = medianOf(amounts);
  if (s.sharpening.amount > 0) s.sharpening.radius_px = medianOf(radii);
  return s;
}

}  // namespace glenhaze
