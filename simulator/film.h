#pragma once
// Writes what the simulated camera sees as a footage file, with sound, tags and faults as asked for,
// and the truth beside it.

#include <filesystem>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/base/rational.h"
#include "simulator/camera.h"

namespace glenhaze::sim {

enum class FilmCodec { H264, Ffv1 };

struct FilmSettings {
  Rational fps{30, 1};
  int64_t frames = 30;
  FilmCodec codec = FilmCodec::H264;
  int64_t bit_rate = 12'000'000;  ///< H.264 only; 0: constant quality 14
  bool sound = true;
  int rotation = 0;              ///< tag: degrees clockwise to turn for showing
  std::vector<int64_t> dropped;  ///< frames left out: the rate varies then
  bool interlaced = false;       ///< weave fields of frames 2n and 2n+1, top first
  double keep_share = 1;         ///< below 1: the file is cut off there
  std::string make, model;       ///< container tags
  std::optional<int> iso;        ///< container tag
  std::string telemetry;         ///< text of a telemetry track, one entry a second; "" for none
  std::string creation_time = "2031-05-14T06:30:00Z";
  std::string timecode;
};

/// Throws Error(Unwritable).
void writeFilm(const std::filesystem::path& path, const SimCamera& camera, const FilmSettings& settings,
               const std::function<void(double)>& progress = {});

/// The truth as JSON: lens, readout, noise, and the pose at every frame.
std::string truthJson(const SimCamera& camera, const FilmSettings& settings);

}  // namespace glenhaze::sim
