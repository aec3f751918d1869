#pragma once
// One clip of a shoot, as benchmarks take it from their command line.

#include <optional>
#include <string>
#include <vector>

#include "core/clip/fact_store.h"
#include "core/profile/library.h"
#include "core/run/status.h"

namespace glenhaze {

struct OneClip {
  Shoot shoot;  ///< of this clip alone
  ProfileSet set;
  std::vector<ClipFacts> facts;
};

/// The first one whose path holds `name`; empty where none does. Throws as loadShoot().
inline std::optional<OneClip> oneClip(const char* shoot_file, const std::string& name, FactStore& store) {
  OneClip one;
  one.shoot = loadShoot(shoot_file);
  one.set = loadProfiles(one.shoot.profileFolders());
  std::erase_if(one.shoot.clips,
                [&](const ShootClip& c) { return c.path.string().find(name) == std::string::npos; });
  if (one.shoot.clips.empty()) return std::nullopt;
  one.shoot.clips.resize(1);
  one.facts.push_back(knownFacts(one.shoot.clips[0].path, store));
  return one;
}

}  // namespace glenhaze
