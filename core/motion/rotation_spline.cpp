#include "core/motion/rotation_spline.h"

#include <algorithm>

namespace glenhaze {

namespace {

// Uniform B-spline of degree 5 at a share u of a span: the recursion of de Boor and Cox, multiplied out.
std::array<double, RotationSpline::kOrder> basis(double u) {
  const double v = 1 - u, u2 = u * u, u3 = u2 * u, u4 = u2 * u2, u5 = u4 * u, per = 1.0 / 120;
  return {per * v * v * v * v * v,
          per * (26 - 50 * u + 20 * u2 + 20 * u3 - 20 * u4 + 5 * u5),
          per * (66 - 60 * u2 + 30 * u4 - 10 * u5),
          per * (26 + 50 * u + 20 * u2 - 20 * u3 - 20 * u4 + 10 * u5),
          per * (1 + 5 * u + 10 * u2 + 10 * u3 + 5 * u4 - 5 * u5),
          per * u5};
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
  const auto span = std::min(static_cast<size_t>(at), controls_.size() - kOrder);
  return {span, basis(at - static_cast<double>(span))};
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
