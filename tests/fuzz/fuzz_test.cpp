// A short seeded run of every target, for each build; the long runs are libFuzzer's (preset "fuzz").
#include <gtest/gtest.h>

#include <sys/resource.h>

#include <fstream>
#include <random>

#include "core/media/quiet.h"
#include "tests/fuzz/targets.h"

namespace glenhaze::fuzz {
namespace {

namespace fs = std::filesystem;

using Random = std::mt19937_64;

size_t below(Random& random, size_t n) { return std::uniform_int_distribution<size_t>(0, n - 1)(random); }

// One change of the kinds that find most: bits, bytes, numbers, pieces doubled, dropped, or of another input.
std::string changed(std::string text, const std::vector<std::string>& others, Random& random) {
  static const std::vector<std::string> kNumbers = {
      "0",    "-1", "1e300", "1e-300", "2147483648",          "nan", "NaN", "65536", "-2147483649", "\"\"",
      "null", "[]", "{}",    "true",   "18446744073709551616"};
  if (text.empty()) return others[below(random, others.size())];
  const size_t at = below(random, text.size()), most = std::min<size_t>(64, text.size() - at);
  const size_t length = 1 + below(random, most);
  switch (below(random, 8)) {
    case 0:
      text[at] = static_cast<char>(text[at] ^ (1 << below(random, 8)));
      break;
    case 1:
      text[at] = static_cast<char>(below(random, 256));
      break;
    case 2:
      text.erase(at, length);
      break;
    case 3:
      text.insert(at, text.substr(at, length));
      break;
    case 4:
      text.resize(at);
      break;
    case 5: {
      const size_t digit = text.find_first_of("0123456789", at);
      const size_t begin = digit == std::string::npos ? at : digit;
      const size_t end = std::min(text.size(), text.find_first_not_of("0123456789.eE+-", begin));
      text.replace(begin, std::max<size_t>(1, end - begin), kNumbers[below(random, kNumbers.size())]);
      break;
    }
    case 6: {
      const std::string& other = others[below(random, others.size())];
      if (!other.empty()) text.insert(at, other.substr(below(random, other.size()), length));
      break;
    }
    default:
      for (size_t i = 0; i < length; ++i) text[at + i] = static_cast<char>(below(random, 2) != 0 ? 0xFF : 0);
  }
  return text;
}

// What long runs have found, and what they grew: kept with the tests.
std::vector<std::string> corpusOf(const Target& target) {
  std::vector<std::string> inputs = target.seeds();
  const fs::path folder = fs::path(GLENHAZE_SOURCE) / "tests/fuzz/corpus" / target.name;
  std::error_code code;
  std::vector<fs::path> files;
  for (const auto& entry : fs::directory_iterator(folder, code)) files.push_back(entry.path());
  std::sort(files.begin(), files.end());
  for (const fs::path& path : files) {
    std::ifstream file(path, std::ios::binary);
    inputs.emplace_back(std::istreambuf_iterator<char>(file), std::istreambuf_iterator<char>());
  }
  return inputs;
}

Bytes bytesOf(const std::string& text) {
  return {reinterpret_cast<const uint8_t*>(text.data()), text.size()};
}

class AnyBytes : public ::testing::TestWithParam<size_t> {};
INSTANTIATE_TEST_SUITE_P(Fuzz, AnyBytes, ::testing::Range<size_t>(0, targets().size()), [](const auto& info) {
  std::string name = targets()[info.param].name;
  std::erase(name, '-');
  return name;
});

TEST_P(AnyBytes, EndInAResultOrAReason) {
  quietLibraries();
  const Target& target = targets()[GetParam()];
  const std::vector<std::string> corpus = corpusOf(target);
  std::string why;
  for (const std::string& input : corpus)
    EXPECT_TRUE(holds(target, bytesOf(input), why)) << target.name << ": " << why;
  Random random(20260101);
  const bool is_clip = std::string_view(target.name) == "clip";
  const int rounds = is_clip ? 500 : 5000;
  for (int round = 0; round < rounds; ++round) {
    std::string input = corpus[below(random, corpus.size())];
    for (size_t n = 1 + below(random, 6); n > 0; --n) input = changed(std::move(input), corpus, random);
    ASSERT_TRUE(holds(target, bytesOf(input), why))
        << target.name << ", round " << round << ": " << why << "\n"
        << (is_clip ? "" : input.substr(0, 4000));
  }
  struct rusage usage {};
  getrusage(RUSAGE_SELF, &usage);
  constexpr long kMost_kB = 1 << 20;
  EXPECT_LT(usage.ru_maxrss, kMost_kB);
}

TEST(Fuzz, ATargetThatMisbehavesIsSeen) {
  const Target bad{"bad", [](Bytes) { throw std::runtime_error("x"); }, nullptr};
  std::string why;
  EXPECT_FALSE(holds(bad, {}, why));
}

}  // namespace
}  // namespace glenhaze::fuzz
