#pragma once
// A lens behind a flat port under water, from what it is in air: every ray is bent at the port by Snell's law
// (sin θ in air = n · sin θ in water), so that the view is narrower by about n and bends differently.

#include "core/lens/model.h"

namespace glenhaze {

enum class Water { Fresh, Sea };

/// Refractive index at 20 °C and visible light: 1.333 fresh, 1.339 sea (X. Quan, E. Fry, "Empirical equation
/// for the index of refraction of seawater", Applied Optics 1995; rounded).
double refractiveIndex(Water water);

/// How far in front of the lens the port is, and what is filmed beyond it. Behind a flat port rays do not
/// meet in one point; how far off that is depends on both. Nothing of it shows in scenes that are far away.
struct Port {
  double distance_mm = 0;        ///< from the lens's entrance pupil
  double subject_mm = 1000'000;  ///< along the axis, from the port; far unless said
};

/// Angle from the axis in water → in air, radians; past about 48° there is no ray in water.
double angleInAir(double in_water, const Port& port, double index);

struct WaterLens {
  Lens lens;
  double worst_px = 0;  ///< how far the model is off Snell's law anywhere in the picture
};

/// Throws Error(BadRequest) for a lens that cannot be described under water.
WaterLens underWater(const Lens& in_air, Water water, const Port& port = {});

}  // namespace glenhaze
