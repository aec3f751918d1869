#pragma once

namespace glenhaze {
constexpr const char* kVersionText = "0.1.0";
}
