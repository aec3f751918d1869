#pragma once
// Rows of what motion is found on: rounded to bytes, halved, softened.

#include <cstdint>

namespace glenhaze::detail {

/// Steps of 1/kSampleUnit to whole codes, held to 0..255.
void roundRow(const int16_t* from, int count, uint8_t* to);

/// Means of two by two, rounded; `count` of them.
void halveRows(const uint8_t* upper, const uint8_t* lower, int count, uint8_t* to);

/// Smoothed by 1 2 1 both ways, in steps of 1/kSoftUnit. The rows have a sample before their first and one
/// behind their last; `scratch`: room for count + 2.
void softenRow(const int16_t* above, const int16_t* row, const int16_t* below, int count, uint16_t* scratch,
               int16_t* to);

}  // namespace glenhaze::detail
