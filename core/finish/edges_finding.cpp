#include "core/finish/edges_finding.h"

#include <algorithm>
#include <cmath>

#include "core/base/error.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/media/reader.h"

namespace glenhaze {

namespace {

constexpr int kFrames = 4;     // of a clip, spread over it
constexpr size_t kEdges = 24;  // of all
constexpr double kHalfWay = 0.5;

// What is soft in the scene itself, as a cloud or what is out of focus, says nothing of the camera: it draws
// nothing sharper than it can, so its sharpest edges tell.
void refuseSoftOnes(std::vector<SeenEdge>& edges) {
  constexpr double kSharpest = 0.8, kMuchSofter = 0.6;  // of all; of those
  std::vector<double> sharp;
  for (const SeenEdge& e : edges)
    if (e.response.usable()) sharp.push_back(e.response.mtf50);
  if (sharp.empty()) return;
  const auto at = sharp.begin() + static_cast<ptrdiff_t>(kSharpest * static_cast<double>(sharp.size() - 1));
  std::nth_element(sharp.begin(), at, sharp.end());
  for (SeenEdge& e : edges)
    if (e.response.usable() && e.response.mtf50 < kMuchSofter * *at)
      e.response.why_not = "much softer than the sharpest: it is soft in the scene itself";
}

template <typename Wanted>
EdgeSummary summaryWhere(const std::vector<SeenEdge>& edges, Wanted wanted) {
  std::vector<EdgeResponse> some;
  for (const SeenEdge& e : edges)
    if (wanted(e)) some.push_back(e.response);
  return summaryOf(some);
}

}  // namespace

double fromMiddle(const EdgeArea& a, PictureSize picture) {
  const double x = a.x + a.width / 2.0 - picture.width / 2.0, y = a.y + a.height / 2.0 - picture.height / 2.0;
  return std::hypot(x, y) / std::hypot(picture.width / 2.0, picture.height / 2.0);
}

EdgesFinding edgesFindingOf(std::vector<SeenEdge> edges) {
  EdgesFinding f;
  f.edges = std::move(edges);
  std::stable_sort(f.edges.begin(), f.edges.end(), [](const SeenEdge& a, const SeenEdge& b) {
    if (a.response.usable() != b.response.usable()) return a.response.usable();
    return a.response.mtf50_sd < b.response.mtf50_sd;
  });
  f.all = summaryWhere(f.edges, [](const SeenEdge&) { return true; });
  f.middle = summaryWhere(f.edges, [](const SeenEdge& e) { return e.from_middle < kHalfWay; });
  f.outside = summaryWhere(f.edges, [](const SeenEdge& e) { return e.from_middle >= kHalfWay; });
  f.across = summaryWhere(f.edges, [](const SeenEdge& e) { return e.response.across; });
  f.down = summaryWhere(f.edges, [](const SeenEdge& e) { return !e.response.across; });
  constexpr int kFew = 4;
  if (f.all.used > 0 && f.all.used < kFew)
    f.warnings.push_back("Only " + std::to_string(f.all.used) +
                         (f.all.used == 1 ? " edge was used" : " edges were used") +
                         ": show more of them, in the middle and towards the corners.");
  if (f.all.used >= kFew && (f.across.used == 0 || f.down.used == 0))
    f.warnings.emplace_back(f.across.used == 0
                                ? "No edge is upright: what is drawn from left to right is not told."
                                : "No edge lies flat: what is drawn from top to bottom is not told.");
  constexpr double kAlike = 0.7;  // of the middle's sharpness
  if (f.middle.used > 0 && f.outside.used > 0 && f.outside.mtf50 < kAlike * f.middle.mtf50)
    f.warnings.push_back("Towards the corners edges are softer: MTF50 " + fixedText(f.outside.mtf50, 2) +
                         " against " + fixedText(f.middle.mtf50, 2) + " in the middle.");
  return f;
}

EdgesFinding measureEdges(std::span<const EdgesSource> sources, const Progress& progress) {
  std::vector<SeenEdge> edges;
  double done = 0;
  for (const EdgesSource& source : sources) {
    ClipReader reader(source.clip);
    const int64_t frames = std::max<int64_t>(1, source.clip.frames);
    const auto looked = static_cast<int>(std::min<int64_t>(kFrames, frames));
    for (int i = 0; i < looked; ++i) {
      progress.check();
      reader.seek(frames * (2 * i + 1) / (2 * looked));
      const auto frame = reader.next();
      if (!frame) break;
      std::vector<EdgeArea> places = source.places;
      if (places.empty()) places = findSlantedEdges(*frame, kEdges);
      std::vector<SeenEdge> seen(places.size());
      parallelBlocks(static_cast<int>(places.size()), 1, [&](int first, int last) {
        for (auto at = static_cast<size_t>(first); at < static_cast<size_t>(last); ++at)
          seen[at] = {measureEdge({&*frame, 1}, places[at]), source.clip.path.filename().string(),
                      frame->index, fromMiddle(places[at], {frame->width, frame->height})};
      });
      edges.insert(edges.end(), seen.begin(), seen.end());
      progress.update((done + (i + 1.0) / looked) / static_cast<double>(sources.size()));
    }
    done += 1;
  }
  if (std::all_of(sources.begin(), sources.end(), [](const EdgesSource& s) { return s.places.empty(); }))
    refuseSoftOnes(edges);
  EdgesFinding f = edgesFindingOf(std::move(edges));
  if (f.all.used == 0)
    throw Error(
        ErrorKind::Evidence, "No edge can be used", sources.empty() ? "" : sources[0].clip.path.string(),
        f.edges.empty() ? "no straight, slanted edge of strong contrast was found"
                        : f.edges[0].response.why_not,
        "Film the chart, or any straight dark edge on a bright even ground, tilted by about five degrees");
  if (f.edges.size() > kEdges) {
    f.edges.resize(kEdges);
    f = edgesFindingOf(std::move(f.edges));
  }
  return f;
}

}  // namespace glenhaze
