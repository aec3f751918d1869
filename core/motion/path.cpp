#include "core/motion/path.h"

#include <algorithm>
#include <array>

#include "core/base/csv.h"
#include "core/base/error.h"
#include "core/base/numbers.h"

namespace glenhaze {

std::string pathDoubtText(PathDoubt doubt) {
  constexpr std::array<const char*, 5> kTexts = {"", "cut", "nothing to track", "blurred",
                                                 "much moves on its own"};
  return kTexts[static_cast<size_t>(doubt)];
}

bool PathFrame::operator==(const PathFrame& o) const {
  return time_s == o.time_s && orientation == o.orientation && shift.x == o.shift.x && shift.y == o.shift.y &&
         scale == o.scale && confidence == o.confidence && doubt == o.doubt;
}

namespace {

// Speeds at the knots of a natural cubic spline through steps[i] over spans[i]: Thomas' algorithm on
//   v[i−1]/h[i−1] + 2 v[i] (1/h[i−1] + 1/h[i]) + v[i+1]/h[i] = 3 (d[i−1]/h[i−1]² + d[i]/h[i]²).
void splineSpeeds(std::span<const Turn> steps, std::span<const double> spans, std::span<Turn> speeds) {
  const size_t n = speeds.size();
  if (n < 2) return;
  std::vector<double> upper(n);
  std::vector<Turn> right(n);
  for (size_t i = 0; i < n; ++i) {
    const double before = i > 0 ? 1 / spans[i - 1] : 0, after = i + 1 < n ? 1 / spans[i] : 0;
    double diagonal = 2 * (before + after);
    Turn r;
    if (i > 0) r = r + steps[i - 1] * (3 * before * before);
    if (i + 1 < n) r = r + steps[i] * (3 * after * after);
    if (i > 0) {
      diagonal -= before * upper[i - 1];
      r = r - right[i - 1] * before;
    }
    upper[i] = after / diagonal;
    right[i] = r * (1 / diagonal);
  }
  speeds[n - 1] = right[n - 1];
  for (size_t i = n - 1; i-- > 0;) speeds[i] = right[i] - speeds[i + 1] * upper[i];
}

}  // namespace

CameraPath::CameraPath(std::vector<PathFrame> frames) : frames_(std::move(frames)) {
  const size_t n = frames_.size();
  step_.resize(n);
  speed_.resize(n);
  std::vector<double> spans(n, 1);
  for (size_t i = 0; i < n; ++i)
    if (i == 0 || frames_[i].doubt == PathDoubt::Cut) scenes_.push_back(i);
  for (size_t i = 0; i + 1 < n; ++i) {
    step_[i] = turnOf(inverse(frames_[i].orientation) * frames_[i + 1].orientation);
    spans[i] = std::max(1e-6, frames_[i + 1].time_s - frames_[i].time_s);
  }
  for (size_t s = 0; s < scenes_.size(); ++s) {
    const size_t first = scenes_[s], count = (s + 1 < scenes_.size() ? scenes_[s + 1] : n) - first;
    splineSpeeds(std::span(step_).subspan(first, count), std::span(spans).subspan(first, count),
                 std::span(speed_).subspan(first, count));
  }
}

CameraPath::CameraPath(std::vector<PathFrame> frames, std::vector<RotationSpline> splines)
    : CameraPath(std::move(frames)) {
  splines_ = std::move(splines);
  splines_.resize(scenes_.size());
  for (size_t s = 0; s < scenes_.size(); ++s) {
    if (splines_[s].empty()) continue;
    const size_t end = s + 1 < scenes_.size() ? scenes_[s + 1] : frames_.size();
    for (size_t i = scenes_[s]; i < end; ++i) frames_[i].orientation = splines_[s].at(frames_[i].time_s);
  }
}

// Rotation vector from frame `first` to a share of the way to the next: cubic of Hermite.
Turn CameraPath::within(size_t first, double u) const {
  const double h = frames_[first + 1].time_s - frames_[first].time_s;
  const double a = u * (1 - u) * (1 - u) * h, b = u * u * (u - 1) * h, c = u * u * (3 - 2 * u);
  return speed_[first] * a + speed_[first + 1] * b + step_[first] * c;
}

Quaternion CameraPath::turnSince(size_t index, double offset_s) const {
  const auto after_scene = std::upper_bound(scenes_.begin(), scenes_.end(), index);
  const size_t low = *(after_scene - 1), high = after_scene == scenes_.end() ? frames_.size() : *after_scene;
  const double time = frames_[index].time_s + offset_s;
  if (!splines_.empty()) {
    const RotationSpline& spline = splines_[static_cast<size_t>(after_scene - scenes_.begin()) - 1];
    if (!spline.empty()) return inverse(frames_[index].orientation) * spline.at(time);
  }
  size_t at = index;
  while (at > low && time < frames_[at].time_s) --at;
  while (at + 1 < high && time >= frames_[at + 1].time_s) ++at;
  const double since = time - frames_[at].time_s;
  Turn turn;
  if (at + 1 >= high || since < 0)
    turn = speed_[at] * since;
  else
    turn = within(at, since / (frames_[at + 1].time_s - frames_[at].time_s));
  if (at == index) return rotationOf(turn);
  return inverse(frames_[index].orientation) * frames_[at].orientation * rotationOf(turn);
}

Quaternion CameraPath::orientationAt(double time_s, size_t near) const {
  return frames_[near].orientation * turnSince(near, time_s - frames_[near].time_s);
}

std::string pathToCsv(const CameraPath& path, double focal_px) {
  std::string text = "frame,time_s,rx,ry,rz,shift_x,shift_y,scale,confidence\n";
  for (size_t i = 0; i < path.frames().size(); ++i) {
    const PathFrame& f = path.frames()[i];
    const Turn t = turnOf(f.orientation);
    text += std::to_string(i) + "," + fixedText(f.time_s, 6);
    for (const double angle : {t.x, t.y, t.z}) text += "," + fixedText(angle, 8);
    text += "," + fixedText(f.shift.x * focal_px, 4) + "," + fixedText(f.shift.y * focal_px, 4);
    text += "," + fixedText(f.scale, 7) + "," + fixedText(f.confidence, 3) + "\n";
  }
  return text;
}

CameraPath pathFromCsv(const std::string& text, double focal_px, const std::string& where) {
  std::vector<PathFrame> frames;
  forEachCsvLine(text, [&](std::string_view line, int number) {
    if (number == 1 && line.starts_with("frame")) return;
    const auto v = csvNumbers(line);
    if (!v || v->size() != 9 || (!frames.empty() && !((*v)[1] > frames.back().time_s)))
      throw Error(ErrorKind::Unreadable, "This is not a usable camera path", where,
                  "line " + std::to_string(number) + " does not hold nine numbers with rising time",
                  "Columns: frame,time_s,rx,ry,rz,shift_x,shift_y,scale,confidence");
    PathFrame f;
    f.time_s = (*v)[1];
    f.orientation = rotationOf({(*v)[2], (*v)[3], (*v)[4]});
    f.shift = Point{(*v)[5], (*v)[6]} * (1 / focal_px);
    f.scale = (*v)[7];
    f.confidence = (*v)[8];
    frames.push_back(f);
  });
  if (frames.empty())
    throw Error(ErrorKind::Unreadable, "This is not a usable camera path", where, "it is empty", "");
  return CameraPath(std::move(frames));
}

}  // namespace glenhaze
