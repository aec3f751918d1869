#include "simulator/reach.h"

namespace glenhaze::sim {

namespace {

constexpr float kPiece_m = 1;    // side of what one sphere covers
constexpr int kMostPieces = 16;  // along each side, however large a quad is
constexpr float kCameraMoves_m = 0.05F;
constexpr float kWithin_s = 0.1F;

int piecesAlong(float size) {
  return std::clamp(static_cast<int>(std::ceil(size / kPiece_m)), 1, kMostPieces);
}

struct Cone {
  V3 from, axis;
  float cosine, sine;
};

bool touches(const Cone& cone, V3 centre, float radius) {
  const V3 to = centre - cone.from;
  const float distance = length(to);
  if (distance <= radius) return true;
  // The angle to the centre is less than the cone's and the sphere's together; they may pass a half turn.
  const float s = radius / distance, c = std::sqrt(std::max(0.0F, 1 - s * s));
  if (cone.sine * c + cone.cosine * s <= 0) return true;
  return dot(to, cone.axis) >= distance * (cone.cosine * c - cone.sine * s);
}

}  // namespace

Reach::Reach(const Scene& scene, double time_s) {
  for (const Quad& q : scene.quads) {
    const V3 corner = q.corner + q.velocity * static_cast<float>(time_s);
    const float margin = length(q.velocity) * kWithin_s + kCameraMoves_m;
    const auto around = [&](float u, float v, float size_u, float size_v) -> Sphere {
      return {corner + q.u * u + q.v * v, 0.5F * std::hypot(size_u, size_v) + margin};
    };
    Cover cover{around(q.size_u / 2, q.size_v / 2, q.size_u, q.size_v), {}};
    const int along_u = piecesAlong(q.size_u), along_v = piecesAlong(q.size_v);
    const float step_u = q.size_u / static_cast<float>(along_u),
                step_v = q.size_v / static_cast<float>(along_v);
    if (along_u * along_v > 1)
      for (int i = 0; i < along_u; ++i)
        for (int j = 0; j < along_v; ++j)
          cover.pieces.push_back(around((static_cast<float>(i) + 0.5F) * step_u,
                                        (static_cast<float>(j) + 0.5F) * step_v, step_u, step_v));
    covers_.push_back(std::move(cover));
  }
}

void Reach::find(V3 from, V3 axis, float angle, std::vector<int>& quads) const {
  quads.clear();
  const Cone cone{from, axis, std::cos(angle), std::sin(angle)};
  const auto reached = [&](const Sphere& s) { return touches(cone, s.centre, s.radius); };
  for (size_t i = 0; i < covers_.size(); ++i) {
    const auto& [whole, pieces] = covers_[i];
    if (reached(whole) && (pieces.empty() || std::any_of(pieces.begin(), pieces.end(), reached)))
      quads.push_back(static_cast<int>(i));
  }
}

}  // namespace glenhaze::sim
