#pragma once
// Stills and numbered sequences of stills: which names they have and which files belong together.

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

namespace glenhaze {

/// A numbered sequence, e.g. "lapse_%04d.png" with files 17..120.
struct SequencePattern {
  std::filesystem::path pattern;  ///< full path with one %0Nd in its name
  int first = 0;
  int count = 0;  ///< consecutive files from `first`
};

/// True for names of PNG, TIFF and JPEG files.
bool isStillName(const std::filesystem::path& path);

/// The sequence behind a name with %0Nd; empty when `path` is an ordinary name or no file matches.
std::optional<SequencePattern> sequenceFromPattern(const std::filesystem::path& path);

/// Whether a name holds one %0Nd.
bool isSequenceName(const std::filesystem::path& path);

/// Name of file `number` of the sequence.
std::filesystem::path sequenceFile(const std::filesystem::path& pattern, int number);

/// What a folder holds for us: films, stills, and sequences (at least `min_sequence` stills with
/// consecutive numbers, same length of number, same name otherwise) as one pattern each. Sorted by
/// name; does not descend; hidden files and our own unfinished outputs are left out.
std::vector<std::filesystem::path> listFootage(const std::filesystem::path& folder, int min_sequence = 8);

}  // namespace glenhaze
