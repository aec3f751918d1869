#include "core/motion/rotation_spline.h"

#include <algorithm>
#include <cmath>

namespace glenhaze {

namespace {

// Uniform B-spline of degree 5 at a share u of a span, by the recursion of de Boor and Cox.
std::array<double, RotationSpline::kOrder> basis(double u) {
  std::array<double, RotationSpline::kOrder> n{1};
  for (int degree = 1; degree < static_cast<int>(n.size()); ++degree) {
    double saved = 0;
    for (int k = 0; k < degree; ++k) {
      const double share = n[static_cast<size_t>(k)] / degree;
      n[static_cast<size_t>(k)] = saved + (k + 1 - u) * share;
      saved = (u + degree - 1 - k) * share;
    }
    n[static_cast<size_t>(degree)] = saved;
  }
  return n;
}

}  // namespace

RotationSpline::RotationSpline(double first_s, double spacing_s, std::vector<Quaternion> controls)
    : first_s_(first_s), spacing_s_(spacing_s), controls_(std::move(controls)) {
  steps_.reserve(controls_.size());
  for (size_t i = 0; i + 1 < controls_.size(); ++i)
    steps_.push_back(turnOf(inverse(controls_[i]) * controls_[i + 1]));
}

double RotationSpline::lastTime() const {
  return first_s_ + static_cast<double>(controls_.size() - kOrder + 1) * spacing_s_;
}

RotationSpline::Support RotationSpline::supportAt(double time_s) const {
  const double spans = static_cast<double>(controls_.size() - kOrder + 1);
  const double at = std::clamp((time_s - first_s_) / spacing_s_, 0.0, spans);
  const double span = std::min(std::floor(at), spans - 1);
  return {static_cast<size_t>(span), basis(at - span)};
}

Quaternion RotationSpline::at(const Support& s) const {
  Quaternion q = controls_[s.first];
  double share = 1;
  for (size_t k = 1; k < kOrder; ++k) {
    share -= s.weights[k - 1];
    q = q * rotationOf(steps_[s.first + k - 1] * share);
  }
  return q;
}

Quaternion RotationSpline::at(double time_s) const {
  const double held = std::clamp(time_s, first_s_, lastTime());
  const Quaternion q = at(supportAt(held));
  if (held == time_s) return q;
  const double step = spacing_s_ / 64 * (held > time_s ? 1 : -1);
  const Turn speed = turnOf(inverse(q) * at(supportAt(held + step))) * (1 / step);
  return q * rotationOf(speed * (time_s - held));
}

}  // namespace glenhaze
