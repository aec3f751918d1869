#include "core/finish/lamps.h"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <opencv2/imgproc.hpp>

#include "core/base/bilinear.h"
#include "core/base/geometry.h"
#include "core/base/numbers.h"
#include "core/base/parallel.h"
#include "core/finish/detail/slow_part.h"

namespace glenhaze {

namespace detail {

// The cells of one frame: those of the unshifted picture's grid that are whole in it.
struct CellRow {
  int column0 = 0, row0 = 0, columns = 0, rows = 0;
  std::vector<float> level;  // logarithm; NaN where it is clipped or too dark
};

// One cell's course over all frames.
struct CellCourse {
  int column = 0, row = 0;
  std::vector<double> quick;
  double energy = 0;  // RMS
};

}  // namespace detail

namespace {

using detail::CellCourse;
using detail::CellRow;

constexpr int kLampWidth = 256;  // px that frames are reduced to; a lamp on a street at night is wider
constexpr int kLampCell = 8;     // px of a cell
constexpr double kFewest_s = 2, kMost_s = 300;
constexpr size_t kMostLamps = 3;
// How alike the cells of one lamp are, and how much of what they do it explains: people who pass change
// neighbouring cells one after the other.
constexpr double kAlike = 0.75, kMostly = 0.7;

// Mean of a picture over a box that may lie between pixels, from its integral.
double boxMean(const cv::Mat& integral, double x0, double y0, double x1, double y1) {
  const auto at = [&](double x, double y) {
    const int ix = std::min(static_cast<int>(x), integral.cols - 2),
              iy = std::min(static_cast<int>(y), integral.rows - 2);
    return bilinear(integral.at<double>(iy, ix), integral.at<double>(iy, ix + 1),
                    integral.at<double>(iy + 1, ix), integral.at<double>(iy + 1, ix + 1), x - ix, y - iy);
  };
  return (at(x1, y1) - at(x0, y1) - at(x1, y0) + at(x0, y0)) / ((x1 - x0) * (y1 - y0));
}

// Luma above black in 8-bit codes, reduced by means over squares.
cv::Mat reducedLuma(const Frame& frame, cv::Size size) {
  const bool bytes = frame.format.bytesPerSample() == 1;
  const cv::Mat luma(frame.height, frame.width, bytes ? CV_8U : CV_16U, frame.planes[0].data,
                     static_cast<size_t>(frame.planes[0].stride));
  cv::Mat small, level;
  cv::resize(luma, small, size, 0, 0, cv::INTER_AREA);
  const double unit = 1.0 / (1 << (frame.format.bit_depth - 8));
  small.convertTo(level, CV_32F, unit, -unit * blackValue(frame.format, frame.colour, 0));
  return level;
}

CellRow cellsAt(const cv::Mat& level, cv::Point2d shift) {
  cv::Mat integral;
  cv::integral(level, integral, CV_64F);
  const auto first = [](double by) { return static_cast<int>(std::ceil(-by / kLampCell)); };
  const auto last = [](double by, int size) { return static_cast<int>(std::floor((size - by) / kLampCell)); };
  CellRow cells;
  cells.column0 = first(shift.x);
  cells.row0 = first(shift.y);
  cells.columns = std::max(0, last(shift.x, level.cols) - cells.column0);
  cells.rows = std::max(0, last(shift.y, level.rows) - cells.row0);
  constexpr double kDark = 8, kClipped = 212;  // codes above black
  for (int j = 0; j < cells.rows; ++j)
    for (int i = 0; i < cells.columns; ++i) {
      const double x = std::max(0.0, (cells.column0 + i) * kLampCell + shift.x),
                   y = std::max(0.0, (cells.row0 + j) * kLampCell + shift.y);
      const double mean = boxMean(integral, x, y, std::min<double>(x + kLampCell, level.cols),
                                  std::min<double>(y + kLampCell, level.rows));
      cells.level.push_back(mean > kDark && mean < kClipped ? static_cast<float>(std::log(mean))
                                                            : std::nanf(""));
    }
  return cells;
}

double product(const std::vector<double>& a, const std::vector<double>& b) {
  return std::inner_product(a.begin(), a.end(), b.begin(), 0.0);
}
double likeness(const std::vector<double>& a, const std::vector<double>& b) {
  const double scale = std::sqrt(product(a, a) * product(b, b));
  return scale > 0 ? product(a, b) / scale : 0;
}

// Whether it goes up and down all along, as lamps do and what passes by does not.
bool isLamps(const std::vector<double>& course, double fps) {
  const size_t n = course.size();
  const double mean = product(course, course) / static_cast<double>(n);
  for (size_t part = 0; part < 3; ++part) {
    double sum = 0;
    for (size_t i = part * n / 3; i < (part + 1) * n / 3; ++i) sum += course[i] * course[i];
    if (sum < 0.25 * mean * static_cast<double>(n) / 3) return false;
  }
  int crossings = 0;
  for (size_t i = 1; i < n; ++i) crossings += course[i] * course[i - 1] < 0 ? 1 : 0;
  constexpr double kSlowest_hz = 1.5;
  return crossings >= 2 * kSlowest_hz * static_cast<double>(n) / fps;
}

// All cells with their courses, and the lamps in them.
class LampSearch {
 public:
  explicit LampSearch(std::vector<CellCourse> cells) : cells_(std::move(cells)) {
    std::vector<double> energies;
    for (const CellCourse& c : cells_) energies.push_back(c.energy);
    if (energies.empty()) return;
    std::nth_element(energies.begin(), energies.begin() + static_cast<ptrdiff_t>(energies.size() / 2),
                     energies.end());
    chance_ = energies[energies.size() / 2];
  }

  // The strongest that is left, taken out of what the cells do; false where there is none.
  bool next(double fps, LampPath& lamp) {
    if (cells_.size() < 24) return false;
    const auto strongest =
        std::max_element(cells_.begin(), cells_.end(),
                         [](const CellCourse& a, const CellCourse& b) { return a.energy < b.energy; });
    constexpr double kBeyond = 3, kLeast = 0.012;  // times what most cells do; a share of the level
    if (strongest->energy < std::max(kBeyond * chance_, kLeast)) return false;
    std::vector<double> course = strongest->quick;
    std::vector<size_t> group;
    for (int round = 0; round < 2; ++round) {
      group = groupAround(static_cast<size_t>(strongest - cells_.begin()), course);
      course = together(group, course);
    }
    if (group.size() < 3 || !isLamps(course, fps) || explained(group, course) < kMostly) return false;
    describe(group, course, fps, lamp);
    return true;
  }

 private:
  double shareOf(const CellCourse& c, const std::vector<double>& course) const {
    return product(c.quick, course) / std::max(1e-12, product(course, course));
  }
  // Cells that do the same and hang together.
  std::vector<size_t> groupAround(size_t seed, const std::vector<double>& course) const {
    std::vector<size_t> group{seed};
    std::vector<bool> in(cells_.size());
    in[seed] = true;
    for (size_t k = 0; k < group.size(); ++k)
      for (size_t i = 0; i < cells_.size(); ++i) {
        const CellCourse &a = cells_[group[k]], &b = cells_[i];
        if (in[i] || std::abs(a.column - b.column) > 1 || std::abs(a.row - b.row) > 1) continue;
        if (b.energy < 1.5 * chance_ || likeness(b.quick, course) < kAlike) continue;
        in[i] = true;
        group.push_back(i);
      }
    return group;
  }
  // What they do together, as strong as in the strongest of them.
  std::vector<double> together(const std::vector<size_t>& group, const std::vector<double>& course) const {
    std::vector<double> sum(course.size());
    double squares = 0, most = 0;
    for (const size_t i : group) {
      const double share = shareOf(cells_[i], course);
      for (size_t f = 0; f < sum.size(); ++f) sum[f] += share * cells_[i].quick[f];
      squares += share * share;
      most = std::max(most, share);
    }
    for (double& v : sum) v *= most / std::max(1e-12, squares);
    return sum;
  }
  double explained(const std::vector<size_t>& group, const std::vector<double>& course) const {
    double by = 0, all = 0;
    for (const size_t i : group) {
      const double share = shareOf(cells_[i], course);
      by += share * share * product(course, course);
      all += product(cells_[i].quick, cells_[i].quick);
    }
    return by / std::max(1e-12, all);
  }
  void describe(const std::vector<size_t>& group, const std::vector<double>& course, double fps,
                LampPath& lamp) {
    int left = cells_[group[0]].column, right = left, top = cells_[group[0]].row, bottom = top;
    for (const size_t i : group) {
      left = std::min(left, cells_[i].column), right = std::max(right, cells_[i].column);
      top = std::min(top, cells_[i].row), bottom = std::max(bottom, cells_[i].row);
    }
    constexpr int kAround = 2;  // where its light falls off
    left -= kAround, right += kAround, top -= kAround, bottom += kAround;
    lamp.columns = right - left + 1;
    lamp.rows = bottom - top + 1;
    lamp.cell = static_cast<double>(kLampCell) / kLampWidth;
    lamp.x = (left + 0.5) * lamp.cell;
    lamp.y = (top + 0.5) * lamp.cell;
    lamp.share.assign(static_cast<size_t>(lamp.columns) * static_cast<size_t>(lamp.rows), 0.0F);
    for (CellCourse& c : cells_) {
      if (c.column < left || c.column > right || c.row < top || c.row > bottom) continue;
      const double share = shareOf(c, course);
      if (share < 0.03 || likeness(c.quick, course) < 0.3) continue;
      lamp.share[static_cast<size_t>(c.row - top) * static_cast<size_t>(lamp.columns) +
                 static_cast<size_t>(c.column - left)] = static_cast<float>(share);
      for (size_t f = 0; f < c.quick.size(); ++f) c.quick[f] -= share * course[f];
      c.energy = detail::rmsOf(c.quick);
    }
    lamp.course.assign(course.begin(), course.end());
    lamp.depth = detail::rmsOf(course);
    lamp.rate_hz = detail::rhythmOf(course, fps);
  }

  std::vector<CellCourse> cells_;
  double chance_ = 0;
};

}  // namespace

struct LampFinder::State {
  cv::Size size;
  cv::Mat window, before;  // of the phase correlation
  cv::Point2d shift;
  int64_t first = 0;
  double whole = 0;  // logarithm of the picture's level since the first frame
  bool over = false;
  std::vector<CellRow> cells;
  std::vector<cv::Point2d> shifts;

  void follow(const cv::Mat& level);
  std::vector<CellCourse> courses(double fps) const;
};

LampFinder::LampFinder() : state_(std::make_unique<State>()) {}
LampFinder::~LampFinder() = default;
LampFinder::LampFinder(LampFinder&&) noexcept = default;
LampFinder& LampFinder::operator=(LampFinder&&) noexcept = default;

// By how much the whole picture moved on; of logarithms, so that no lamp weighs more than another thing.
void LampFinder::State::follow(const cv::Mat& level) {
  cv::Mat log, slow;
  cv::log(cv::max(level, 4.0F), log);
  cv::GaussianBlur(log, slow, {}, 8);
  const cv::Mat fine = log - slow;
  if (window.empty()) cv::createHanningWindow(window, fine.size(), CV_32F);
  if (!before.empty()) {
    constexpr double kLeast = 0.03;  // px and response: below it is chance
    double response = 0;
    const cv::Point2d by = cv::phaseCorrelate(before, fine, window, &response);
    if (response > kLeast && std::hypot(by.x, by.y) > kLeast) shift += by;
  }
  before = fine;
}

void LampFinder::add(const Frame& frame, double whole, bool cut) {
  State& s = *state_;
  constexpr size_t kMostFrames = 20000;  // five minutes at 60 frames a second, and some
  if (s.cells.empty()) {
    s.first = std::max<int64_t>(0, frame.index);
    s.size = {kLampWidth, std::max(2 * kLampCell, kLampWidth * frame.height / std::max(1, frame.width))};
  }
  s.over = s.over || (cut && !s.cells.empty()) || s.cells.size() >= kMostFrames;
  if (s.over) return;
  s.whole += whole;
  const cv::Mat level = reducedLuma(frame, s.size);
  s.follow(level);
  CellRow cells = cellsAt(level, s.shift);
  for (float& v : cells.level) v -= static_cast<float>(s.whole);
  s.cells.push_back(std::move(cells));
  s.shifts.push_back(s.shift);
}

// Of the cells that are there nearly all the time.
std::vector<CellCourse> LampFinder::State::courses(double fps) const {
  const int reach = detail::flickerReach(fps);
  constexpr double kEnough = 0.9;
  std::vector<CellCourse> found;
  for (int row = 0; row * kLampCell < size.height; ++row)
    for (int column = 0; column * kLampCell < size.width; ++column) {
      std::vector<double> level;
      size_t there = 0;
      double last = 0;
      for (const CellRow& c : cells) {
        const int i = column - c.column0, j = row - c.row0;
        const bool inside = i >= 0 && j >= 0 && i < c.columns && j < c.rows;
        const float v = inside ? c.level[static_cast<size_t>(j * c.columns + i)] : std::nanf("");
        if (!std::isnan(v)) {
          if (there == 0) std::fill(level.begin(), level.end(), static_cast<double>(v));
          last = static_cast<double>(v);
          ++there;
        }
        level.push_back(last);
      }
      if (static_cast<double>(there) < kEnough * static_cast<double>(cells.size())) continue;
      CellCourse course{column, row, detail::quickPart(level, reach), 0};
      course.energy = detail::rmsOf(course.quick);
      found.push_back(std::move(course));
    }
  return found;
}

std::vector<LampPath> LampFinder::lamps(double fps) const {
  const State& s = *state_;
  const auto seconds = static_cast<double>(s.cells.size()) / std::max(1e-3, fps);
  std::vector<LampPath> found;
  if (seconds < kFewest_s || seconds > kMost_s) return found;
  LampSearch search(s.courses(fps));
  LampPath lamp;
  while (found.size() < kMostLamps && search.next(fps, lamp)) {
    lamp.first = s.first;
    lamp.shift_x.clear();
    lamp.shift_y.clear();
    for (const cv::Point2d& by : s.shifts) {
      lamp.shift_x.push_back(static_cast<float>(by.x / kLampWidth));
      lamp.shift_y.push_back(static_cast<float>(by.y / kLampWidth));
    }
    found.push_back(lamp);
  }
  return found;
}

std::string LampPath::describe() const {
  double sum = 0, across = 0;
  for (size_t i = 0; i < share.size(); ++i) {
    const auto s = static_cast<double>(share[i]);
    sum += s;
    across += s * (x + cell * static_cast<double>(i % static_cast<size_t>(std::max(1, columns))));
  }
  const double at = sum > 0 ? across / sum : 0.5;
  const char* where = at < 1.0 / 3 ? "left" : at > 2.0 / 3 ? "right" : "in the middle";
  return fixedText(depth * 100, 1) + " %" + (rate_hz > 0 ? " at " + fixedText(rate_hz, 1) + " Hz" : "") +
         ", " + where;
}

namespace {

// How much of the lamp is seen at a place, in cells from the middle of the first one.
float shareAt(const LampPath& lamp, float u, float v) {
  const int i = static_cast<int>(std::floor(u)), j = static_cast<int>(std::floor(v));
  const auto of = [&](int column, int row) {
    const bool inside = column >= 0 && row >= 0 && column < lamp.columns && row < lamp.rows;
    return inside ? lamp.share[static_cast<size_t>(row) * static_cast<size_t>(lamp.columns) +
                               static_cast<size_t>(column)]
                  : 0.0F;
  };
  return bilinear(of(i, j), of(i + 1, j), of(i, j + 1), of(i + 1, j + 1), u - static_cast<float>(i),
                  v - static_cast<float>(j));
}

template <typename T>
void evenPlane(Plane& plane, Point per_px, const LampPath& lamp, size_t at, float strength, int neutral,
               int top) {
  const auto per_x = static_cast<float>(per_px.x), per_y = static_cast<float>(per_px.y),
             cell = static_cast<float>(lamp.cell);
  const float x0 = static_cast<float>(lamp.x) + lamp.shift_x[at],
              y0 = static_cast<float>(lamp.y) + lamp.shift_y[at];
  const auto first = [&](float from, float per) { return static_cast<int>(std::floor((from - cell) / per)); };
  const int left = std::clamp(first(x0, per_x), 0, plane.width),
            right = std::clamp(first(x0 + cell * static_cast<float>(lamp.columns + 1), per_x) + 1, 0,
                               plane.width),
            upper = std::clamp(first(y0, per_y), 0, plane.height),
            lower =
                std::clamp(first(y0 + cell * static_cast<float>(lamp.rows + 1), per_y) + 1, 0, plane.height);
  const auto zero = static_cast<float>(neutral);
  parallelBlocks(lower - upper, 32, [&](int from, int to) {
    for (int y = upper + from; y < upper + to; ++y) {
      T* row = plane.row<T>(y);
      const float v = ((static_cast<float>(y) + 0.5F) * per_y - y0) / cell;
      for (int x = left; x < right; ++x) {
        const float share = shareAt(lamp, ((static_cast<float>(x) + 0.5F) * per_x - x0) / cell, v);
        if (share <= 0) continue;
        const float gain = 1 + strength * (std::exp(-share * lamp.course[at]) - 1);
        const float value = zero + gain * (static_cast<float>(row[x]) - zero) + 0.5F;
        row[x] = static_cast<T>(std::clamp(static_cast<int>(value), 0, top));
      }
    }
  });
}

}  // namespace

void evenLamp(Frame& frame, const LampPath& lamp, double strength) {
  const int64_t at = frame.index - lamp.first;
  if (at < 0 || at >= static_cast<int64_t>(lamp.course.size())) return;
  for (int p = 0; p < frame.format.numPlanes(); ++p) {
    Plane& plane = frame.planes[static_cast<size_t>(p)];
    const int sx = p == 0 ? 0 : frame.format.shiftX(), sy = p == 0 ? 0 : frame.format.shiftY();
    const Point per_px{static_cast<double>(1 << sx) / frame.width,
                       static_cast<double>(1 << sy) / frame.width};
    const auto even = frame.format.bytesPerSample() == 1 ? evenPlane<uint8_t> : evenPlane<uint16_t>;
    even(plane, per_px, lamp, static_cast<size_t>(at), static_cast<float>(strength),
         blackValue(frame.format, frame.colour, p), frame.format.maxValue());
  }
}

// Numbers with spaces between them; those of frames and cells are floats, written so that they come back.
std::string lampToText(const LampPath& lamp) {
  std::string text = std::to_string(lamp.first) + " " + exactText(lamp.x) + " " + exactText(lamp.y) + " " +
                     exactText(lamp.cell) + " " + std::to_string(lamp.columns) + " " +
                     std::to_string(lamp.rows) + " " + exactText(lamp.depth) + " " + exactText(lamp.rate_hz) +
                     " " + std::to_string(lamp.course.size());
  for (const auto* values : {&lamp.share, &lamp.course, &lamp.shift_x, &lamp.shift_y})
    for (const float v : *values) text += " " + exactText(static_cast<double>(v));
  return text;
}

std::optional<LampPath> lampFromText(const std::string& text) {
  std::vector<double> values;
  for (size_t at = 0; at < text.size();) {
    const size_t end = std::min(text.find(' ', at), text.size());
    const auto number = parseNumber(std::string_view(text).substr(at, end - at));
    if (!number) return std::nullopt;
    values.push_back(*number);
    at = end + 1;
  }
  constexpr size_t kHead = 9;
  constexpr double kMostCells = 1000, kMostFrames = 1e6;
  if (values.size() < kHead || !(values[4] >= 1 && values[4] <= kMostCells) ||
      !(values[5] >= 1 && values[5] <= kMostCells) || !(values[8] >= 1 && values[8] <= kMostFrames) ||
      !(std::abs(values[0]) <= 1e9) || !(values[3] > 0 && values[3] <= 1))
    return std::nullopt;
  LampPath lamp;
  lamp.first = static_cast<int64_t>(values[0]);
  lamp.x = values[1];
  lamp.y = values[2];
  lamp.cell = values[3];
  lamp.columns = static_cast<int>(values[4]);
  lamp.rows = static_cast<int>(values[5]);
  lamp.depth = values[6];
  lamp.rate_hz = values[7];
  const auto frames = static_cast<size_t>(values[8]);
  const size_t cells = static_cast<size_t>(lamp.columns) * static_cast<size_t>(lamp.rows);
  if (values.size() != kHead + cells + 3 * frames) return std::nullopt;
  auto from = values.begin() + static_cast<ptrdiff_t>(kHead);
  const auto take = [&from](std::vector<float>& to, size_t count) {
    for (size_t i = 0; i < count; ++i) to.push_back(static_cast<float>(*from++));
  };
  take(lamp.share, cells);
  take(lamp.course, frames);
  take(lamp.shift_x, frames);
  take(lamp.shift_y, frames);
  return lamp;
}

}  // namespace glenhaze
