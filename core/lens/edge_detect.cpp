#include <algorithm>
#include <array>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "core/base/bilinear.h"
#include "core/frame/rgb.h"
#include "core/lens/edges.h"

namespace glenhaze {

namespace {

constexpr double kSigma = 1.2;    // px of smoothing before gradients: noise down, position kept
constexpr double kStep_px = 4;    // spacing of points handed out
constexpr double kWeakest = 3.0;  // code values per px below which nothing counts as an edge

struct Gradients {
  cv::Mat gx, gy, magnitude;  // CV_32F

  explicit Gradients(const Frame& frame) {
    std::vector<uint8_t> luma = luma8(frame);
    const cv::Mat image(frame.height, frame.width, CV_8U, luma.data());
    cv::Mat smooth;
    image.convertTo(smooth, CV_32F);
    cv::GaussianBlur(smooth, smooth, {}, kSigma);
    cv::Sobel(smooth, gx, CV_32F, 1, 0, 3, 1.0 / 8);
    cv::Sobel(smooth, gy, CV_32F, 0, 1, 3, 1.0 / 8);
    cv::magnitude(gx, gy, magnitude);
  }

  float sample(const cv::Mat& m, double x, double y) const {
    const double fx = std::floor(x), fy = std::floor(y);
    const int ix = static_cast<int>(fx), iy = static_cast<int>(fy);
    if (ix < 0 || iy < 0 || ix + 1 >= m.cols || iy + 1 >= m.rows) return 0;
    const auto tx = static_cast<float>(x - fx), ty = static_cast<float>(y - fy);
    const float* a = m.ptr<float>(iy);
    const float* b = m.ptr<float>(iy + 1);
    return bilinear(a[ix], a[ix + 1], b[ix], b[ix + 1], tx, ty);
  }
  Point direction(double x, double y) const {
    const Point g{static_cast<double>(sample(gx, x, y)), static_cast<double>(sample(gy, x, y))};
    const double l = length(g);
    return l > 1e-9 ? g * (1 / l) : Point{};
  }
};

// Peak of gradient strength along `normal` within ±reach of p, by a parabola; empty when there is none.
// `polarity`: unit gradient that the edge is expected to have, or zero for any.
std::optional<Point> peakAcross(const Gradients& g, Point p, Point normal, double reach, Point polarity) {
  constexpr double kFine = 0.5;
  const int n = static_cast<int>(reach / kFine);
  std::vector<double> strength(static_cast<size_t>(2 * n + 1));
  for (int i = -n; i <= n; ++i) {
    const Point q = p + normal * (i * kFine);
    double s = static_cast<double>(g.sample(g.gx, q.x, q.y)) * normal.x +
               static_cast<double>(g.sample(g.gy, q.x, q.y)) * normal.y;
    if (dot(polarity, polarity) > 0.5)
      s *= dot(polarity, normal) >= 0 ? 1 : -1;
    else
      s = std::abs(s);
    strength[static_cast<size_t>(i + n)] = s;
  }
  int best = -1;
  double best_score = kWeakest;
  for (int i = 1; i < 2 * n; ++i) {
    const auto k = static_cast<size_t>(i);
    if (strength[k] < strength[k - 1] || strength[k] < strength[k + 1]) continue;
    // Near peaks are preferred, so that a stronger edge next door does not steal the marks.
    const double score = strength[k] / (1 + std::abs(i - n) * kFine / std::max(2.0, reach));
    if (score > best_score) {
      best_score = score;
      best = i;
    }
  }
  if (best < 0) return std::nullopt;
  // Centroid of the crest, with the window moved onto it: unlike a parabola through three samples it
  // is not drawn to the pixel raster by the interpolation between gradients.
  double at = (best - n) * kFine;
  for (int round = 0; round < 3; ++round) {
    double sum = 0, moment = 0;
    for (double t = -2.5; t <= 2.501; t += 0.25) {
      const Point q = p + normal * (at + t);
      const double s = std::abs(static_cast<double>(g.sample(g.gx, q.x, q.y)) * normal.x +
                                static_cast<double>(g.sample(g.gy, q.x, q.y)) * normal.y);
      sum += s;
      moment += s * t;
    }
    if (sum < 1e-9) break;
    at += std::clamp(moment / sum, -0.5, 0.5);
  }
  return p + normal * at;
}

// Walks along the edge from `from` towards `to`.
std::vector<Point> follow(const Gradients& g, Point from, Point to, bool& ok) {
  std::vector<Point> path;
  Point tangent = to - from;
  const double total = length(tangent);
  ok = false;
  if (total < 2 * kStep_px) return path;
  tangent = tangent * (1 / total);
  Point normal{-tangent.y, tangent.x};
  const auto start = peakAcross(g, from, normal, 8, {});
  if (!start) return path;
  const Point polarity_at = g.direction(start->x, start->y);
  Point polarity = dot(polarity_at, normal) >= 0 ? normal : normal * -1.0;
  path.push_back(*start);
  int lost = 0;
  const int limit = static_cast<int>(total / kStep_px * 1.5) + 8;
  for (int i = 0; i < limit; ++i) {
    const Point ahead = to - path.back();
    if (length(ahead) < kStep_px) break;
    // The direction of the last stretch, drawn gently towards the goal.
    if (path.size() > 6) {
      const Point recent = path.back() - path[path.size() - 7];
      const Point goal = ahead * (1 / length(ahead));
      tangent = recent * (0.85 / std::max(1e-9, length(recent))) + goal * 0.15;
      tangent = tangent * (1 / length(tangent));
    } else {
      tangent = ahead * (1 / length(ahead));
    }
    normal = {-tangent.y, tangent.x};
    if (dot(polarity, normal) < 0) normal = normal * -1.0;
    polarity = normal;
    const Point guess = path.back() + tangent * kStep_px;
    const auto hit = peakAcross(g, guess, normal, path.size() > 6 ? 3.0 : 5.0, polarity);
    lost = hit ? 0 : lost + 1;
    if (lost > 6) return path;
    path.push_back(hit.value_or(guess));
  }
  ok = length(to - path.back()) < 3 * kStep_px;
  return path;
}

// Strongest-first thinning to one pixel with sub-pixel positions.
struct Crests {
  cv::Mat strength;          // CV_32F, 0 where there is no crest
  std::vector<Point> exact;  // per pixel

  explicit Crests(const Gradients& g)
      : strength(g.magnitude.size(), CV_32F, cv::Scalar(0)), exact(g.magnitude.total()) {
    for (int y = 1; y + 1 < strength.rows; ++y)
      for (int x = 1; x + 1 < strength.cols; ++x) {
        const float m = g.magnitude.at<float>(y, x);
        if (m < static_cast<float>(kWeakest)) continue;
        const double nx = static_cast<double>(g.gx.at<float>(y, x) / m),
                     ny = static_cast<double>(g.gy.at<float>(y, x) / m);
        const double a = static_cast<double>(g.sample(g.magnitude, x - nx, y - ny));
        const double c = static_cast<double>(g.sample(g.magnitude, x + nx, y + ny));
        const auto b = static_cast<double>(m);
        if (b < a || b <= c) continue;
        const double curve = a - 2 * b + c;
        const double shift = curve < -1e-9 ? std::clamp(0.5 * (a - c) / curve, -0.7, 0.7) : 0;
        strength.at<float>(y, x) = m;
        exact[static_cast<size_t>(y * strength.cols + x)] = {x + nx * shift, y + ny * shift};
      }
  }
};

// Chains of crest pixels whose direction changes slowly.
std::vector<std::vector<Point>> chains(const Gradients& g, Crests& crests, float strong) {
  std::vector<std::vector<Point>> all;
  cv::Mat used(crests.strength.size(), CV_8U, cv::Scalar(0));
  const auto walk = [&](int x, int y, int sense, std::vector<Point>& out) {
    Point heading{-static_cast<double>(g.gy.at<float>(y, x)) * sense,
                  static_cast<double>(g.gx.at<float>(y, x)) * sense};
    while (true) {
      heading = heading * (1 / std::max(1e-9, length(heading)));
      int bx = -1, by = -1;
      double best = 0.4;
      for (int j = -1; j <= 1; ++j)
        for (int i = -1; i <= 1; ++i) {
          const int nx = x + i, ny = y + j;
          if ((i == 0 && j == 0) || nx < 1 || ny < 1 || nx + 1 >= used.cols || ny + 1 >= used.rows) continue;
          if (used.at<uint8_t>(ny, nx) != 0 || crests.strength.at<float>(ny, nx) <= 0) continue;
          const Point step{i / std::hypot(i, j), j / std::hypot(i, j)};
          const Point gradient = g.direction(nx, ny), here = g.direction(x, y);
          if (dot(gradient, here) < 0.9) continue;
          const double score = dot(step, heading);
          if (score > best) {
            best = score;
            bx = nx;
            by = ny;
          }
        }
      if (bx < 0) return;
      used.at<uint8_t>(by, bx) = 1;
      x = bx;
      y = by;
      out.push_back(crests.exact[static_cast<size_t>(y * used.cols + x)]);
      const double m = static_cast<double>(g.magnitude.at<float>(y, x));
      const Point now{-static_cast<double>(g.gy.at<float>(y, x)) / m * sense,
                      static_cast<double>(g.gx.at<float>(y, x)) / m * sense};
      heading = heading * 0.7 + now * 0.3;
    }
  };
  for (int y = 1; y + 1 < used.rows; ++y)
    for (int x = 1; x + 1 < used.cols; ++x) {
      if (used.at<uint8_t>(y, x) != 0 || crests.strength.at<float>(y, x) < strong) continue;
      used.at<uint8_t>(y, x) = 1;
      std::vector<Point> back, chain;
      walk(x, y, -1, back);
      chain.assign(back.rbegin(), back.rend());
      chain.push_back(crests.exact[static_cast<size_t>(y * used.cols + x)]);
      walk(x, y, 1, chain);
      if (chain.size() > 20) all.push_back(std::move(chain));
    }
  return all;
}

// Worst distance from a parabola over the chord; index of the worst point.
std::pair<double, size_t> parabolaMisfit(const std::vector<Point>& chain, size_t first, size_t last) {
  const Point a = chain[first], chord = chain[last] - a;
  const double l = length(chord);
  if (l < 1) return {1e9, (first + last) / 2};
  const Point t = chord * (1 / l), n{-t.y, t.x};
  cv::Matx33d normal = cv::Matx33d::zeros();
  cv::Vec3d right(0, 0, 0);
  for (size_t i = first; i <= last; ++i) {
    const Point d = chain[i] - a;
    const double s = dot(d, t) / l, v = dot(d, n);
    const cv::Vec3d row(1, s, s * s);
    for (int r = 0; r < 3; ++r) {
      for (int c = 0; c < 3; ++c) normal(r, c) += row[r] * row[c];
      right[r] += row[r] * v;
    }
  }
  const cv::Vec3d fit = normal.solve(right, cv::DECOMP_SVD);
  double worst = 0;
  size_t where = first;
  for (size_t i = first; i <= last; ++i) {
    const Point d = chain[i] - a;
    const double s = dot(d, t) / l;
    const double e = std::abs(dot(d, n) - (fit[0] + fit[1] * s + fit[2] * s * s));
    if (e > worst) {
      worst = e;
      where = i;
    }
  }
  return {worst, where};
}

void splitSmooth(const std::vector<Point>& chain, size_t first, size_t last, double shortest,
                 std::vector<std::vector<Point>>& out) {
  if (last <= first || length(chain[last] - chain[first]) < shortest) return;
  const auto [worst, where] = parabolaMisfit(chain, first, last);
  if (worst < 1.1) {
    out.emplace_back(chain.begin() + static_cast<ptrdiff_t>(first),
                     chain.begin() + static_cast<ptrdiff_t>(last) + 1);
    return;
  }
  if (where <= first + 2 || where + 2 >= last) {
    // Frayed ends: trim and try again.
    splitSmooth(chain, first + 3, last - 3, shortest, out);
    return;
  }
  splitSmooth(chain, first, where - 2, shortest, out);
  splitSmooth(chain, where + 2, last, shortest, out);
}

std::vector<Point> thinned(const std::vector<Point>& chain) {
  std::vector<Point> out;
  // Means of a few neighbours: an edge does not bend within four pixels, its noise does.
  constexpr size_t kGroup = 4;
  for (size_t i = 0; i + kGroup <= chain.size(); i += kGroup) {
    Point sum;
    for (size_t k = 0; k < kGroup; ++k) sum = sum + chain[i + k];
    out.push_back(sum * (1.0 / kGroup));
  }
  return out;
}

}  // namespace

SnappedEdge snapEdge(const Frame& frame, std::span<const Point> marks) {
  SnappedEdge edge;
  const Gradients g(frame);
  edge.found = marks.size() >= 2;
  for (size_t i = 0; i + 1 < marks.size(); ++i) {
    bool ok = false;
    std::vector<Point> part = follow(g, marks[i], marks[i + 1], ok);
    if (!ok) {
      edge.found = false;
      break;
    }
    edge.points.insert(edge.points.end(), part.begin(), part.end());
  }
  if (!edge.found) edge.points.assign(marks.begin(), marks.end());
  return edge;
}

std::vector<std::vector<Point>> detectEdges(const Frame& frame, int most, double shortest) {
  const Gradients g(frame);
  Crests crests(g);
  std::vector<std::vector<Point>> pieces;
  const double shortest_px = shortest * frame.width;
  for (const auto& chain : chains(g, crests, 8.0F))
    splitSmooth(chain, 0, chain.size() - 1, shortest_px, pieces);
  std::sort(pieces.begin(), pieces.end(), [](const auto& a, const auto& b) {
    return length(a.back() - a.front()) > length(b.back() - b.front());
  });
  if (static_cast<int>(pieces.size()) > most) pieces.resize(static_cast<size_t>(most));
  std::vector<std::vector<Point>> out;
  for (const auto& piece : pieces) out.push_back(thinned(piece));
  return out;
}

}  // namespace glenhaze
