#pragma once
// What differs between two states of a shoot: what a step of undo keeps, so that a hundred steps on ten
// thousand clips stay small.

#include <utility>
#include <vector>

#include "core/treat/shoot.h"

namespace glenhaze {

/// All of a shoot but its clips, of which there may be very many.
Shoot withoutClips(const Shoot& shoot);

/// A plain value; knows nothing of the clips that are alike.
class ShootChange {
 public:
  ShootChange(const Shoot& before, const Shoot& after);

  /// `shoot` must be as `before` (or as `after`) was; becomes the other, but for the file it is kept in.
  void apply(Shoot& shoot) const;
  void revert(Shoot& shoot) const;

  /// How many clips are kept in it, of both states.
  size_t clipsKept() const { return before_.clips.size() + after_.clips.size(); }

 private:
  // Shoots without their clips, but those that differ.
  struct Side {
    Shoot rest;
    std::vector<std::pair<size_t, ShootClip>> clips;  // where clips only changed
  };
  void put(const Side& from, const Side& to, Shoot& shoot) const;

  bool same_count_ = false;
  size_t first_ = 0;  // where clips came or went: those from here on
  Side before_, after_;
};

}  // namespace glenhaze
