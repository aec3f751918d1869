#pragma once
// Parts of the profile's file that several sources read and write.

#include <nlohmann/json.hpp>
#include <span>

#include "core/base/json_text.h"
#include "core/profile/evidence.h"
#include "core/profile/finish_part.h"
#include "core/profile/motion_parts.h"

namespace glenhaze::detail {

std::string originName(Origin origin);
Origin originFromName(const std::string& name);
/// The keys of `in` that are not among `known`, as text; "" when there are none.
std::string unknownKeys(const nlohmann::json& in, std::span<const char* const> known);
/// Puts them back where nothing of that name stands.
void addKept(nlohmann::json& out, const std::string& kept);
nlohmann::json evidenceToJson(const Evidence& e);
Evidence evidenceFromJson(const nlohmann::json& in);

/// Write over the known keys and leave the others as they were. Reading throws std::invalid_argument naming
/// the key.
void shutterToJson(const ShutterPart& part, nlohmann::json& out);
ShutterPart shutterFromJson(const nlohmann::json& in);
void stabilizationToJson(const StabilizationPart& part, nlohmann::json& out);
StabilizationPart stabilizationFromJson(const nlohmann::json& in);
void finishToJson(const FinishPart& part, nlohmann::json& out);
FinishPart finishFromJson(const nlohmann::json& in);

}  // namespace glenhaze::detail
