#include "core/base/rational.h"

#include <gtest/gtest.h>

namespace glenhaze {
namespace {

TEST(Rational, ReadsFractionsWholeNumbersAndBroadcastDecimals) {
  EXPECT_EQ(parseRational("30000/1001"), (Rational{30000, 1001}));
  EXPECT_EQ(parseRational("25"), (Rational{25, 1}));
  // The NTSC-derived rates are n·1000/1001 (SMPTE ST 12-1, from memory).
  EXPECT_EQ(parseRational("29.97"), (Rational{30000, 1001}));
  EXPECT_EQ(parseRational("23.976"), (Rational{24000, 1001}));
  EXPECT_EQ(parseRational("59.94"), (Rational{60000, 1001}));
  EXPECT_EQ(parseRational("12.5"), (Rational{25, 2}));
}

TEST(Rational, RefusesWhatIsNoRate) {
  for (const char* text : {"", "x", "30/", "/1", "-30", "0", "30/0", "30000/1001x", "1e9"})
    EXPECT_FALSE(parseRational(text).has_value()) << text;
}

TEST(Rational, EqualByValue) { EXPECT_EQ((Rational{60, 2}), (Rational{30, 1})); }

}  // namespace
}  // namespace glenhaze
