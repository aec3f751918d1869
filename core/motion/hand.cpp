#include "core/motion/hand.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/bilinear.h"
#include "core/base/json_text.h"
#include "core/base/parallel.h"

namespace glenhaze {

using nlohmann::json;

namespace {

constexpr double kDegree = std::numbers::pi / 180;

Point turned(Point p, double radians) {
  const double c = std::cos(radians), s = std::sin(radians);
  return {c * p.x - s * p.y, s * p.x + c * p.y};
}

// Where the frozen frame's places lie, as an affine map in shares of the width.
struct Placement {
  double turn_rad = 0, scale = 1;
  Point offset;  // of p ↦ s·R·p + offset
  Point place(Point p) const { return turned(p, turn_rad) * scale + offset; }
  Point back(Point p) const { return turned((p - offset) * (1 / scale), -turn_rad); }
};

Placement placementOf(const HandKey& k) {
  Placement p{k.turn_deg * kDegree, k.scale, {}};
  p.offset = k.pivot - turned(k.pivot, p.turn_rad) * p.scale + k.shift;
  return p;
}

// Cubic through b and c with the slopes of Catmull and Rom for uneven steps.
double cubic(double ta, double a, double tb, double b, double tc, double c, double td, double d, double t) {
  const double h = tc - tb;
  const double slope_b = tb > ta ? (c - a) / (tc - ta) : (c - b) / h;
  const double slope_c = td > tc ? (d - b) / (td - tb) : (c - b) / h;
  const double u = (t - tb) / h;
  return b * (2 * u * u * u - 3 * u * u + 1) + c * (3 * u * u - 2 * u * u * u) +
         slope_b * h * (u * u * u - 2 * u * u + u) + slope_c * h * (u * u * u - u * u);
}

// One frame of a path that shows the first frame's picture in this place.
PathFrame frameOf(const HandKey& key, const Lens& lens) {
  const Placement p = placementOf(key);
  // About the lens's own middle: a point at it goes to `at`.
  const Point centre{(lens.cx + 0.5) / lens.width, (lens.cy + 0.5) / lens.width};
  const Point at = p.place(centre) - centre;
  PathFrame f;
  // The picture turns clockwise when the camera turns the other way.
  f.orientation = rotationOf({0, 0, -p.turn_rad});
  f.scale = p.scale;
  f.shift = {at.x * lens.width / lens.fx, at.y * lens.width / lens.fy};
  return f;
}

}  // namespace

bool HandKey::operator==(const HandKey& o) const {
  return frame == o.frame && shift.x == o.shift.x && shift.y == o.shift.y && turn_deg == o.turn_deg &&
         scale == o.scale && pivot.x == o.pivot.x && pivot.y == o.pivot.y;
}

HandKey handAt(const std::vector<HandKey>& keys, double frame) {
  if (keys.empty()) return {};
  if (frame <= static_cast<double>(keys.front().frame)) return keys.front();
  if (frame >= static_cast<double>(keys.back().frame)) return keys.back();
  const auto next = std::upper_bound(keys.begin(), keys.end(), frame, [](double f, const HandKey& k) {
    return f < static_cast<double>(k.frame);
  });
  const auto i = static_cast<size_t>(next - keys.begin());
  const HandKey &b = keys[i - 1], &c = keys[i];
  HandKey a = i >= 2 ? keys[i - 2] : b, d = i + 1 < keys.size() ? keys[i + 1] : c;
  // Keys with other pivots are told about b's.
  const auto about = [&](const HandKey& k) {
    const Placement p = placementOf(k);
    return p.place(b.pivot) - b.pivot;
  };
  const auto mix = [&](double va, double vb, double vc, double vd) {
    return cubic(static_cast<double>(a.frame), va, static_cast<double>(b.frame), vb,
                 static_cast<double>(c.frame), vc, static_cast<double>(d.frame), vd, frame);
  };
  const Point pa = about(a), pb = about(b), pc = about(c), pd = about(d);
  HandKey at = b;
  at.frame = std::llround(frame);
  at.shift = {mix(pa.x, pb.x, pc.x, pd.x), mix(pa.y, pb.y, pc.y, pd.y)};
  at.turn_deg = mix(a.turn_deg, b.turn_deg, c.turn_deg, d.turn_deg);
  at.scale = std::exp(mix(std::log(a.scale), std::log(b.scale), std::log(c.scale), std::log(d.scale)));
  return at;
}

Point placeUnder(const HandKey& key, Point frozen) { return placementOf(key).place(frozen); }

CameraPath pathByHand(const std::vector<HandKey>& keys, const std::vector<double>& times_s,
                      const Lens& lens) {
  std::vector<PathFrame> frames;
  for (size_t i = 0; i < times_s.size(); ++i) {
    PathFrame f = frameOf(handAt(keys, static_cast<double>(i)), lens);
    f.time_s = times_s[i];
    frames.push_back(f);
  }
  return CameraPath(std::move(frames));
}

CameraPath mendedByHand(const CameraPath& measured, const std::vector<HandKey>& keys, const Lens& lens) {
  if (keys.empty()) return measured;
  std::vector<PathFrame> frames = measured.frames();
  const auto first = static_cast<size_t>(std::max<int64_t>(0, keys.front().frame)),
             last = static_cast<size_t>(std::max<int64_t>(0, keys.back().frame));
  // Against the first key, joined to the measured path there.
  const PathFrame start = frameOf(keys.front(), lens);
  for (size_t i = first + 1; i < frames.size(); ++i) {
    PathFrame& f = frames[i];
    const PathFrame& before = frames[i - 1];
    const PathFrame &m = measured.frames()[i], &n = measured.frames()[i - 1];
    if (i <= last) {
      const PathFrame h = frameOf(handAt(keys, static_cast<double>(i)), lens);
      const PathFrame& joint = frames[first];
      f.orientation = normalized(joint.orientation * inverse(start.orientation) * h.orientation);
      f.scale = joint.scale * h.scale / start.scale;
      f.shift = joint.shift + h.shift - start.shift;
      f.confidence = 1;
      if (f.doubt != PathDoubt::Cut) f.doubt = PathDoubt::None;
    } else {
      f.orientation = normalized(before.orientation * inverse(n.orientation) * m.orientation);
      f.scale = before.scale * m.scale / n.scale;
      f.shift = before.shift + m.shift - n.shift;
    }
  }
  return CameraPath(std::move(frames));
}

Difference differenceUnder(const Frame& frozen, const Frame& frame, const HandKey& key,
                           std::span<const MotionMask> left_out) {
  Difference out;
  out.picture = makeFrame(frame.width, frame.height, {Chroma::Mono, 8});
  out.picture.colour = {1, 1, 1, true, ChromaSiting::Left};
  const Placement placement = placementOf(key);
  const int bytes = frozen.format.bytesPerSample();
  const double gain = 1.0 / (1 << (frame.format.bit_depth - 8));
  const double w = frame.width;
  std::vector<double> sums(static_cast<size_t>(frame.height)), counts(sums.size());
  parallelBlocks(frame.height, 16, [&](int begin, int end) {
    for (int y = begin; y < end; ++y)
      for (int x = 0; x < frame.width; ++x) {
        const Point p = placement.back({(x + 0.5) / w, (y + 0.5) / w});
        const double sx = p.x * w - 0.5, sy = p.y * w - 0.5;
        auto* to = out.picture.planes[0].row<uint8_t>(y) + x;
        const Point share{(x + 0.5) / w, (y + 0.5) / frame.height};
        const bool out_of_it = std::any_of(left_out.begin(), left_out.end(), [&](const MotionMask& m) {
          return m.holdsAt(frame.index) && m.covers(share);
        });
        if (out_of_it || sx < 0 || sy < 0 || sx > frozen.width - 1.001 || sy > frozen.height - 1.001) {
          *to = 60;
          continue;
        }
        const int x0 = static_cast<int>(sx), y0 = static_cast<int>(sy);
        const double fx = sx - x0, fy = sy - y0;
        const Plane& f = frozen.planes[0];
        const auto there = bilinear<double>(f.at(x0, y0, bytes), f.at(x0 + 1, y0, bytes),
                                            f.at(x0, y0 + 1, bytes), f.at(x0 + 1, y0 + 1, bytes), fx, fy);
        const double off = std::abs(there - frame.planes[0].at(x, y, bytes)) * gain;
        // Raised, so that little differences show.
        *to = static_cast<uint8_t>(std::min(255.0, 3 * off));
        sums[static_cast<size_t>(y)] += off;
        counts[static_cast<size_t>(y)] += 1;
      }
  });
  double sum = 0, count = 0;
  for (size_t y = 0; y < sums.size(); ++y) {
    sum += sums[y];
    count += counts[y];
  }
  out.mean = count > 0 ? sum / count : 0;
  return out;
}

std::string handKeysToText(const std::vector<HandKey>& keys) {
  json out = json::array();
  for (const HandKey& k : keys)
    out.push_back({{"frame", k.frame},
                   {"shift", {k.shift.x, k.shift.y}},
                   {"turn_deg", k.turn_deg},
                   {"scale", k.scale},
                   {"pivot", {k.pivot.x, k.pivot.y}}});
  return jsonText(out);
}

std::vector<HandKey> handKeysFromText(const std::string& text) {
  std::vector<HandKey> keys;
  for (const json& in : parseJson(text)) {
    HandKey k;
    k.frame = wholeOf<int64_t>(in.at("frame"));
    k.shift = {in.at("shift").at(0).get<double>(), in.at("shift").at(1).get<double>()};
    k.turn_deg = in.value("turn_deg", 0.0);
    k.scale = std::clamp(in.value("scale", 1.0), 0.2, 5.0);
    if (in.contains("pivot")) k.pivot = {in["pivot"].at(0).get<double>(), in["pivot"].at(1).get<double>()};
    keys.push_back(k);
  }
  std::sort(keys.begin(), keys.end(), [](const HandKey& a, const HandKey& b) { return a.frame < b.frame; });
  return keys;
}

}  // namespace glenhaze
