#include "core/profile/from_findings.h"

#include <filesystem>

namespace glenhaze {

namespace {

// Profiles are mailed around: only the file's own name belongs in them, not where it lay.
std::string nameOf(const std::string& path) { return std::filesystem::path(path).filename().string(); }

std::vector<Point> thinned(const std::vector<Point>& points) {
  constexpr size_t kMost = 24;
  if (points.size() <= kMost) return points;
  std::vector<Point> out;
  for (size_t i = 0; i < kMost; ++i) out.push_back(points[i * (points.size() - 1) / (kMost - 1)]);
  return out;
}

}  // namespace

LensPart lensPartFrom(const ChartFinding& finding) {
  LensPart part;
  part.lens = finding.lens;
  part.rms_px = finding.rms_px;
  part.method = "chart";
  part.coverage = finding.coverage;
  part.stddev = finding.stddev;
  for (const ChartView& view : finding.views) {
    Evidence e;
    e.kind = "chart";
    e.source = nameOf(view.source);
    e.frame = view.frame;
    e.residual_px = view.rms_px;
    e.left_out = view.left_out;
    part.evidence.push_back(std::move(e));
  }
  return part;
}

LensPart lensPartFrom(const EdgeFinding& finding, std::span<const StraightEdge> edges) {
  LensPart part;
  part.lens = finding.lens;
  part.rms_px = finding.after.rms;
  part.method = "edges";
  part.coverage = finding.coverage;
  part.stddev = finding.stddev;
  for (size_t i = 0; i < edges.size(); ++i) {
    Evidence e;
    e.kind = "edge";
    e.source = nameOf(edges[i].source);
    e.frame = edges[i].frame;
    e.name = edges[i].name;
    e.residual_px = finding.edges[i].rms_px;
    e.before_px = finding.edges[i].rms_before_px;
    e.left_out = finding.edges[i].why;
    e.marks = thinned(edges[i].points);
    part.evidence.push_back(std::move(e));
  }
  return part;
}

LensPart lensPartFrom(const FootageLens& finding, const std::string& source) {
  LensPart part;
  part.lens = finding.lens;
  part.rms_px = finding.rms_px;
  part.method = "footage";
  part.coverage = finding.seen_to * finding.seen_to;
  part.stddev = finding.stddev;
  Evidence e;
  e.kind = "footage";
  e.source = nameOf(source);
  e.residual_px = finding.rms_px;
  part.evidence.push_back(std::move(e));
  return part;
}

void putFootageLens(Profile& profile, const FootageLens& finding, const std::string& source,
                    double frame_interval_s) {
  profile.lens = lensPartFrom(finding, source);
  if (finding.readout_told && !profile.shutter)
    profile.shutter = shutterPartFrom(finding.readout(), "footage", source, frame_interval_s);
}

NoiseEntry noiseEntryOfClip(NoiseCurve own, double iso, const std::string& source) {
  NoiseEntry entry;
  entry.curve = std::move(own);
  entry.curve.iso = iso;
  entry.method = "patches";
  Evidence e;
  e.kind = "patch";
  e.source = nameOf(source);
  entry.evidence.push_back(std::move(e));
  return entry;
}

LensPart lensPartByHand(const Lens& lens) {
  LensPart part;
  part.lens = lens;
  part.origin = Origin::ByHand;
  part.method = "typed";
  Evidence e;
  e.kind = "by hand";
  part.evidence.push_back(e);
  return part;
}

}  // namespace glenhaze
