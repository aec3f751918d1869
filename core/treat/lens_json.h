#pragma once
// A lens inside a JSON text of ours.

#include <nlohmann/json.hpp>

#include "core/lens/model.h"

namespace glenhaze {

nlohmann::json lensToJson(const Lens& lens);
/// Throws std::exception for what is none.
Lens lensFromJson(const nlohmann::json& in);

}  // namespace glenhaze
