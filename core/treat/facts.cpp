#include "core/treat/facts.h"

#include "core/base/digest.h"
#include "core/base/json_text.h"
#include "core/base/numbers.h"
#include "core/treat/curve_json.h"
#include "core/treat/lens_json.h"

namespace glenhaze {

using nlohmann::json;

namespace {

constexpr const char* kNoise = "noise";
constexpr const char* kLens = "lens";

json toJson(const NoiseFact& fact) {
  json out = {{"why_not", fact.why_not}};
  if (fact.iso)
    out["iso"] = {{"iso", fact.iso->iso},
                  {"low", fact.iso->low},
                  {"high", fact.iso->high},
                  {"light", fact.iso->light},
                  {"patches", fact.iso->patches}};
  if (fact.own) out["own"] = curveToJson(*fact.own);
  if (fact.light) out["light"] = {{"light", fact.light->light}, {"reason", fact.light->reason}};
  return out;
}

NoiseFact fromJson(const json& in) {
  NoiseFact fact;
  fact.why_not = in.at("why_not").get<std::string>();
  if (in.contains("iso")) {
    const json& i = in["iso"];
    fact.iso = IsoEstimate{i.at("iso").get<double>(), i.at("low").get<double>(), i.at("high").get<double>(),
                           i.at("light").get<std::string>(), wholeOf<int>(i.at("patches"))};
  }
  if (in.contains("own")) fact.own = curveFromJson(in["own"]);
  if (in.contains("light"))
    fact.light =
        LightPick{in["light"].at("light").get<std::string>(), in["light"].at("reason").get<std::string>()};
  return fact;
}

json toJson(const LensFact& fact) {
  json out = {{"why_not", fact.why_not},
              {"focal_uncertainty", fact.focal_uncertainty},
              {"bend_told", fact.bend_told}};
  if (fact.lens) out["lens"] = lensToJson(*fact.lens);
  return out;
}

LensFact lensFactFromJson(const json& in) {
  LensFact fact;
  fact.why_not = in.at("why_not").get<std::string>();
  fact.focal_uncertainty = in.at("focal_uncertainty").get<double>();
  fact.bend_told = in.at("bend_told").get<bool>();
  if (in.contains("lens")) fact.lens = lensFromJson(in["lens"]);
  return fact;
}

}  // namespace

std::string focalText(const LensFact& fact) {
  return fixedText(fact.lens->fx, 0) + " ± " + fixedText(fact.focal_uncertainty * fact.lens->fx, 0) + " px";
}

std::optional<NoiseCurve> ownNoiseOf(const ClipFacts& facts) {
  const auto told = facts.noise.find(kOwnNoise);
  return told == facts.noise.end() ? std::nullopt : told->second.own;
}

std::string noiseQuestionOf(std::span<const NoiseCurve> curves, double known_iso) {
  json key = json::array({known_iso});
  for (const NoiseCurve& c : curves) key.push_back({c.iso, c.light, c.level, c.sigma, c.octaves});
  return digestOf(jsonText(key));
}

void recall(FactStore& store, ClipFacts& facts) {
  for (const auto& [question, text] : store.all(facts.id, kNoise)) {
    try {
      facts.noise[question] = fromJson(parseJson(text));
    } catch (const std::exception&) {
      // Written by another version, or damaged: it is asked again.
    }
  }
  if (const auto text = store.find(facts.id, kLens, kOwnLens)) try {
      facts.lens = lensFactFromJson(parseJson(*text));
    } catch (const std::exception&) {
      // As above.
    }
}

void remember(FactStore& store, const ClipFacts& facts, const std::string& question) {
  if (const auto at = facts.noise.find(question); at != facts.noise.end())
    store.put(facts.id, kNoise, question, jsonText(toJson(at->second)));
}

void rememberLens(FactStore& store, const ClipFacts& facts) {
  if (facts.lens) store.put(facts.id, kLens, kOwnLens, jsonText(toJson(*facts.lens)));
}

}  // namespace glenhaze
