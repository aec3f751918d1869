#pragma once
// A noise curve inside a JSON text of ours.

#include <nlohmann/json.hpp>

#include "core/noise/curve.h"

namespace glenhaze {

nlohmann::json curveToJson(const NoiseCurve& curve);
/// Throws std::exception for what is none.
NoiseCurve curveFromJson(const nlohmann::json& in);

}  // namespace glenhaze
