// Numbers, JSON, CSV and UTF-8 at the border of our files.
#include <gtest/gtest.h>

#include <clocale>
#include <cmath>
#include <limits>

#include "core/base/csv.h"
#include "core/base/digest.h"
#include "core/base/json_text.h"
#include "core/base/numbers.h"
#include "core/base/utf8.h"

namespace glenhaze {
namespace {

TEST(Numbers, OnlyWholeFiniteNumbersAreRead) {
  EXPECT_EQ(parseNumber(" -0.25\r"), -0.25);
  EXPECT_EQ(parseNumber("+1e3"), 1000);
  for (const char* text : {"", " ", "nan", "inf", "-inf", "1,5", "25fps", "1 2", "+-3", "0x10", "1e999"})
    EXPECT_FALSE(parseNumber(text)) << text;
}

// Where the system writes a decimal comma, files still hold a full stop.
TEST(Numbers, DoNotDependOnTheLocale) {
  const std::string before = std::setlocale(LC_ALL, nullptr);
  bool set = false;
  for (const char* name : {"de_DE.UTF-8", "fr_FR.UTF-8", "C.UTF-8"})
    set = set || std::setlocale(LC_ALL, name) != nullptr;
  EXPECT_TRUE(set);
  EXPECT_EQ(fixedText(0.256, 2), "0.26");
  EXPECT_EQ(parseNumber("0.5"), 0.5);
  EXPECT_EQ(csvNumbers("0.5,1.25,-3"), (std::vector<double>{0.5, 1.25, -3}));
  EXPECT_EQ(jsonText(0.5), "0.5");
  std::setlocale(LC_ALL, before.c_str());
}

TEST(Numbers, ExactTextReadsBackTheSame) {
  for (const double v : {0.1, 1.0 / 3, 6.02214076e23, -0.0, std::numeric_limits<double>::denorm_min()})
    EXPECT_EQ(parseNumber(exactText(v)), v);
  EXPECT_EQ(fixedText(std::numeric_limits<double>::max(), 17).substr(0, 4), "1797");
}

TEST(Csv, LinesAndNumbers) {
  std::vector<std::pair<int, std::string>> lines;
  forEachCsvLine("a,b\r\n\n# no\n1,2", [&](std::string_view line, int n) { lines.emplace_back(n, line); });
  EXPECT_EQ(lines, (std::vector<std::pair<int, std::string>>{{1, "a,b"}, {4, "1,2"}}));
  EXPECT_FALSE(csvNumbers("1,,2"));
  EXPECT_FALSE(csvNumbers("1,2,"));
}

TEST(Json, DeepNestingIsRefusedAndBadBytesAreWritten) {
  EXPECT_THROW(parseJson(std::string(100'000, '[')), std::exception);
  EXPECT_THROW(parseJson(std::string(60, '[') + std::string(60, ']')), std::invalid_argument);
  EXPECT_NO_THROW(parseJson(std::string(40, '[') + std::string(40, ']')));
  std::string deep;
  for (int i = 0; i < 100'000; ++i) deep += "{\"a\":";
  EXPECT_TRUE(parseJsonOrNull(deep + "1" + std::string(100'000, '}')).is_null());
  EXPECT_EQ(jsonText("a\xFFz"), "\"a\xEF\xBF\xBDz\"");
}

TEST(Json, EveryFileNameComesBack) {
  for (const std::string name :
       {"clip.mp4", "caf\xE9.mp4", "file:odd.mp4", "ü “x” 100%.mov", "\xFF\xFE/%41"}) {
    const std::string text = pathToText(name);
    EXPECT_TRUE(isUtf8(text));
    EXPECT_EQ(pathFromText(text).native(), name);
  }
  EXPECT_EQ(pathToText("ü.mp4"), "ü.mp4");
  EXPECT_EQ(pathToText("caf\xE9.mp4"), "file:caf%E9.mp4");
}

// RFC 3629's limits: overlong forms, surrogates, beyond U+10FFFF, cut sequences.
TEST(Utf8, OnlyWellFormedSequencesPass) {
  for (const char* good : {"", "a", "\xC2\x80", "\xDF\xBF", "\xE0\xA0\x80", "\xEF\xBF\xBF",
                           "\xF0\x90\x80\x80", "\xF4\x8F\xBF\xBF"})
    EXPECT_TRUE(isUtf8(good)) << good;
  for (const char* bad : {"\x80", "\xC0\x80", "\xC1\xBF", "\xE0\x9F\xBF", "\xED\xA0\x80", "\xF0\x8F\xBF\xBF",
                          "\xF4\x90\x80\x80", "\xF5\x80\x80\x80", "\xE2\x82", "a\xFF"})
    EXPECT_FALSE(isUtf8(bad));
  EXPECT_EQ(asUtf8("a\xE2\x82z"), "a\xEF\xBF\xBD\xEF\xBF\xBDz");
}

// FIPS 180-4, examples published with the standard ("abc"), and the empty message.
TEST(Digest, IsTheStandardOne) {
  EXPECT_EQ(digestOf("abc"), "ba7816bf8f01cfea414140de5dae2223b00361a396177a9cb410ff61f20015ad");
  EXPECT_EQ(digestOf(""), "e3b0c44298fc1c149afbf4c8996fb92427ae41e4649b934ca495991b7852b855");
  Digest pieces;
  pieces.add("a");
  pieces.add("bc");
  EXPECT_EQ(pieces.hex(), digestOf("abc"));
}

}  // namespace
}  // namespace glenhaze
