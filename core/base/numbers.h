#pragma once
// Numbers to and from text, the same in every language of the system: a full stop, never a comma. What
// std::stod, printf and streams do depends on the locale that the interface has set.

#include <optional>
#include <string>
#include <string_view>

namespace glenhaze {

/// The whole text as a finite number ("12", "-0.5", "1e-3"; blanks around it are allowed, a leading '+' too);
/// empty for anything else, also for "nan" and "inf".
std::optional<double> parseNumber(std::string_view text);

/// With `digits` decimals, 0..17: fixedText(0.256, 2) is "0.26". "nan" and "inf" where it is none.
std::string fixedText(double value, int digits);

/// The shortest text that reads back as the same number.
std::string exactText(double value);

}  // namespace glenhaze
